import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Delta } from "../api/types";
import { delta } from "../testing/delta";
import { piece, placement } from "../testing/rows";
import { applyDelta, levelStore, loadLevel, shown } from "./level";
import { messageStore } from "./messages";
import { select, selectionStore } from "./selection";

vi.stubGlobal("window", { setTimeout });
const asked = vi.hoisted(() => ({ step: vi.fn(), preview: vi.fn(), level: vi.fn() }));
vi.mock("../api/client", async (original) => ({ ...(await original<typeof import("../api/client")>()), api: asked }));

import { Problem } from "../api/client";
import { previewStep, takeStep } from "./steps";

/** An answer that is given by hand. */
function later<T>() {
  let give: (value: T) => void = () => undefined;
  let fail: (error: unknown) => void = () => undefined;
  const answer = new Promise<T>((resolve, reject) => {
    give = resolve;
    fail = reject;
  });
  return { answer, give, fail };
}
const rest = () => new Promise((next) => setTimeout(next, 0));
const problem = (code: string, fields: unknown[] = []) =>
  new Problem({ code, status: 422, detail: `told: ${code}`, data: { fields } });

beforeEach(() => {
  for (const one of Object.values(asked)) one.mockReset();
  levelStore.setState({ levelId: null });
  loadLevel(delta(4, { changed: [placement("a"), placement("b")] }));
  messageStore.setState({ list: [] });
  levelStore.setState({ busy: 0 });
  select([]);
});

describe("steps", () => {
  it("are taken one after the other, each at the revision that the one before made", async () => {
    const first = later<Delta>();
    asked.step.mockReturnValueOnce(first.answer).mockResolvedValueOnce(delta(6));
    const both = [takeStep("move", { by: [1, 0, 0] }, ["a"]), takeStep("move", { by: [2, 0, 0] }, ["a"])];
    await rest();
    expect(asked.step).toHaveBeenCalledTimes(1);
    expect(levelStore.getState().busy).toBe(1);
    first.give(delta(5, { changed: [placement("a", { position: [1, 0, 0] })] }));
    await Promise.all(both);
    expect(asked.step.mock.calls.map(([, body]) => body.revision)).toEqual([4, 5]);
    expect(levelStore.getState()).toMatchObject({ revision: 6, busy: 0 });
    expect(levelStore.getState().scene.things.get("a")).toMatchObject({ position: [1, 0, 0] });
  });

  it("that are refused are told, change nothing and hold up nothing", async () => {
    asked.step.mockRejectedValueOnce(problem("geometry")).mockResolvedValueOnce(delta(5));
    const before = levelStore.getState().scene;
    const refused = await takeStep("move", {}, ["a"]);
    expect(refused).toBeInstanceOf(Problem);
    expect(levelStore.getState().scene).toBe(before);
    expect(messageStore.getState().list.map((m) => m.text)).toEqual(["told: geometry"]);
    await takeStep("move", {}, ["a"]);
    expect(levelStore.getState().revision).toBe(5);
  });

  it("leave errors of fields to the card that asked quietly", async () => {
    asked.step.mockRejectedValue(problem("input", [{ field: "by", text: "too far" }]));
    await takeStep("move", {}, ["a"], true);
    expect(messageStore.getState().list).toEqual([]);
    await takeStep("move", {}, ["a"]);
    expect(messageStore.getState().list).toHaveLength(1);
  });

  it("that are refused for a fault of a piece offer to mend it, and are taken then", async () => {
    applyDelta(delta(5, { changed: [piece("p", { mesh: "m" })] }));
    const data = { mend: "border", piece: "p", fields: [] };
    const open = new Problem({ code: "geometry", status: 422, detail: "it is open", data });
    asked.step.mockRejectedValueOnce(open).mockResolvedValueOnce(delta(6)).mockResolvedValueOnce(delta(7));
    await takeStep("subtract", { cutters: "kept" }, ["a", "b"]);
    const [told] = messageStore.getState().list;
    expect(told?.action?.word).toBe("Close it");
    told?.action?.act();
    while (levelStore.getState().revision < 7) await rest();
    const [, mended, again] = asked.step.mock.calls.map(([, body]) => body);
    expect(mended).toMatchObject({
      tool: "mend",
      selection: ["p"],
      params: { faults: ["border"], elements: { mesh: "m" } },
    });
    expect(again).toMatchObject({ tool: "subtract", selection: ["a", "b"], params: { cutters: "kept" }, revision: 6 });
  });

  it("that came late load the level anew, and one that skips a revision does, too", async () => {
    asked.step.mockRejectedValueOnce(problem("stale_revision")).mockResolvedValueOnce(delta(12));
    asked.level.mockResolvedValueOnce(delta(9)).mockResolvedValueOnce(delta(12));
    await takeStep("move", {}, ["a"]);
    expect(levelStore.getState().revision).toBe(9);
    await takeStep("move", {}, ["a"]);
    expect(levelStore.getState().revision).toBe(12);
    expect(asked.level).toHaveBeenCalledTimes(2);
  });

  it("never put an older answer in place of a newer level", async () => {
    asked.step.mockRejectedValueOnce(problem("stale_revision"));
    const slow = later<Delta>();
    asked.level.mockReturnValueOnce(slow.answer);
    const taken = takeStep("move", {}, ["a"]);
    await rest();
    applyDelta(delta(5, { changed: [placement("c")] }));
    applyDelta(delta(6));
    slow.give(delta(5, { changed: [placement("a")] }));
    await taken;
    expect(levelStore.getState().revision).toBe(6);
    expect(levelStore.getState().scene.things.has("c")).toBe(true);
  });

  it("do not open again a level that was left while it was loaded", async () => {
    asked.step.mockRejectedValueOnce(problem("stale_revision"));
    const slow = later<Delta>();
    asked.level.mockReturnValueOnce(slow.answer);
    const taken = takeStep("move", {}, ["a"]);
    await rest();
    loadLevel({ ...delta(2), level: "level-2" });
    slow.give(delta(9));
    await taken;
    expect(levelStore.getState()).toMatchObject({ levelId: "level-2", revision: 2 });
  });

  it("that were not done are told as that when the reply was lost", async () => {
    asked.step.mockRejectedValueOnce(problem("unknown"));
    asked.level.mockResolvedValueOnce(delta(4));
    await takeStep("move", {}, ["a"]);
    expect(messageStore.getState().list.map((m) => m.text)).toEqual(["told: unknown", "It was not done; try again."]);
    expect(levelStore.getState().online).toBe(true);
  });

  it("tell when the server does not answer, and when it does again", async () => {
    asked.step.mockRejectedValueOnce(problem("offline")).mockResolvedValueOnce(delta(5));
    await takeStep("move", {}, ["a"]);
    expect(levelStore.getState().online).toBe(false);
    await takeStep("move", {}, ["a"]);
    expect(levelStore.getState().online).toBe(true);
  });

  it("select what they made, unless something else was selected meanwhile", async () => {
    asked.step.mockResolvedValueOnce(delta(5, { changed: [placement("c")], select: ["c"] }));
    await takeStep("duplicate", {}, ["a"]);
    expect(selectionStore.getState().ids).toEqual(["c"]);
    const slow = later<Delta>();
    asked.step.mockReturnValueOnce(slow.answer);
    const taken = takeStep("duplicate", {}, ["a"]);
    await rest();
    select(["b"]);
    slow.give(delta(6, { changed: [placement("d")], select: ["d"] }));
    await taken;
    expect(selectionStore.getState().ids).toEqual(["b"]);
  });
});

describe("previews", () => {
  const wish = (x: number) => ({ tool: "move", params: { by: [x, 0, 0] }, selection: ["a"], adjust: false });
  const moved = (x: number) => delta(4, { changed: [placement("a", { position: [x, 0, 0] })] });
  const seen = () => shown(levelStore.getState()).things.get("a");

  it("show the latest wish, and pass over those between", async () => {
    const first = later<Delta>();
    asked.preview.mockReturnValueOnce(first.answer).mockResolvedValueOnce(moved(3));
    for (const x of [1, 2, 3]) previewStep(wish(x));
    await rest();
    first.give(moved(1));
    await rest();
    expect(asked.preview.mock.calls.map(([, body]) => body.params.by[0])).toEqual([1, 3]);
    expect(seen()).toMatchObject({ position: [3, 0, 0] });
    previewStep(null);
    expect(seen()).toMatchObject({ position: [0, 0, 0] });
  });

  it("that are given up are not shown when they come", async () => {
    const slow = later<Delta>();
    asked.preview.mockReturnValueOnce(slow.answer);
    previewStep(wish(1));
    await rest();
    previewStep(null);
    slow.give(moved(1));
    await rest();
    expect(levelStore.getState().preview).toBeNull();
    expect(asked.preview.mock.calls[0]?.[2].aborted).toBe(true);
  });

  it("that the mesh does not allow say why in a card, and show the level as it is", async () => {
    asked.preview
      .mockResolvedValueOnce(moved(1))
      .mockRejectedValueOnce(problem("unsound"))
      .mockRejectedValueOnce(problem("input"))
      .mockResolvedValueOnce(moved(2))
      .mockRejectedValueOnce(problem("geometry"));
    const note = () => levelStore.getState().previewNote;
    const ask = async (tells: boolean) => {
      previewStep({ ...wish(1), tells });
      await rest();
    };
    await ask(true);
    expect(seen()).toMatchObject({ position: [1, 0, 0] });
    await ask(true);
    expect(note()).toBe("told: unsound");
    expect(seen()).toMatchObject({ position: [0, 0, 0] });
    await ask(true);
    expect(note()).toBe("told: unsound");
    await ask(true);
    expect(note()).not.toContain("told");
    await ask(false);
    expect(note()).not.toContain("told");
    expect(seen()).toMatchObject({ position: [2, 0, 0] });
    previewStep(null);
    expect(note()).toBe("");
  });

  it("of a level that has moved on meanwhile are not shown", async () => {
    const slow = later<Delta>();
    asked.preview.mockReturnValueOnce(slow.answer);
    previewStep(wish(1));
    await rest();
    loadLevel(delta(7, { changed: [placement("a")] }));
    slow.give(moved(1));
    await rest();
    expect(levelStore.getState().preview).toBeNull();
    previewStep(null);
  });
});
