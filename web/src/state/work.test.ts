import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Job } from "../api/types";
import { delta } from "../testing/delta";
import { levelStore, loadLevel } from "./level";
import { messageStore } from "./messages";
import { readOwnAnew } from "./ownWork";

const kept = new Map<string, string>();
const assign = vi.fn();
vi.stubGlobal("window", { setTimeout, location: { assign } });
vi.stubGlobal("sessionStorage", {
  getItem: (key: string) => kept.get(key) ?? null,
  setItem: (key: string, value: string) => kept.set(key, value),
});
const asked = vi.hoisted(() => ({ startExport: vi.fn(), workOn: vi.fn(), work: vi.fn() }));
vi.mock("../api/client", async (original) => ({ ...(await original<typeof import("../api/client")>()), api: asked }));

import { Problem } from "../api/client";
import { followWork, startExport, workStore } from "./work";

const job = (state: Job["state"], id = "job-1"): Job => ({
  id,
  level: "level-1",
  title: "Export",
  tool: "export",
  state,
  share: state === "done" ? 1 : 0.5,
  words: "",
  reason: "",
  revision: 0,
  note: "",
  has_file: state === "done",
});
const over = () => vi.waitFor(() => expect(workStore.getState().jobs.size).toBe(0));
const told = () => messageStore.getState().list.map((m) => m.text);

beforeEach(() => {
  for (const one of Object.values(asked)) one.mockReset();
  assign.mockReset();
  kept.clear();
  readOwnAnew();
  messageStore.setState({ list: [] });
  levelStore.setState({ levelId: "level-1" });
  loadLevel(delta(1));
});

describe("a file that long work has written", () => {
  it("is saved by the tab that asked for it", async () => {
    asked.startExport.mockResolvedValue(job("working"));
    asked.workOn.mockResolvedValue(job("done"));
    await startExport({});
    await over();
    await vi.waitFor(() => expect(assign).toHaveBeenCalledWith("/api/projects/here/work/job-1/file"));
    expect(assign).toHaveBeenCalledTimes(1);
  });

  it("is not saved by a tab that was opened meanwhile, which tells that it is done", async () => {
    asked.work.mockResolvedValue([job("working")]);
    asked.workOn.mockResolvedValue(job("done"));
    await followWork();
    await over();
    await vi.waitFor(() => expect(told()).toEqual(["Export: done."]));
    expect(assign).not.toHaveBeenCalled();
  });

  it("is saved by the tab that asked for it after a reload, once", async () => {
    asked.startExport.mockResolvedValue(job("working"));
    asked.workOn.mockReturnValueOnce(new Promise(() => undefined)).mockResolvedValue(job("done"));
    await startExport({});
    // the page is opened again
    workStore.setState({ jobs: new Map() });
    readOwnAnew();
    asked.work.mockResolvedValue([job("working")]);
    await followWork();
    await vi.waitFor(() => expect(assign).toHaveBeenCalledTimes(1));
    workStore.setState({ jobs: new Map() });
    readOwnAnew();
    await followWork();
    await over();
    await vi.waitFor(() => expect(asked.workOn).toHaveBeenCalledTimes(3));
    await new Promise((next) => setTimeout(next, 0));
    expect(assign).toHaveBeenCalledTimes(1);
  });

  it("is saved where the reply that it was begun was lost, and where nothing can be kept", async () => {
    vi.stubGlobal("sessionStorage", undefined);
    asked.startExport.mockRejectedValue(new Problem({ code: "unknown", status: 0, detail: "lost", data: {} }));
    asked.work.mockResolvedValue([job("done", "job-1"), job("working", "job-2")]);
    asked.workOn.mockResolvedValue(job("done", "job-2"));
    await startExport({});
    await vi.waitFor(() => expect(assign).toHaveBeenCalledWith("/api/projects/here/work/job-2/file"));
    expect(assign).toHaveBeenCalledTimes(1);
  });
});
