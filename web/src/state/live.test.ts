import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import type { Delta } from "../api/types";
import example from "../testing/columns.json";
import { delta } from "../testing/delta";
import { placement } from "../testing/rows";
import { levelStore, loadLevel } from "./level";
import { messageStore } from "./messages";

const asked = vi.hoisted(() => ({ step: vi.fn(), level: vi.fn() }));
vi.mock("../api/client", async (original) => ({ ...(await original<typeof import("../api/client")>()), api: asked }));

import { Problem } from "../api/client";
import { listen } from "./live";
import { takeStep } from "./steps";

/** A socket that is opened, closed and spoken through by hand. */
class Socket {
  static all: Socket[] = [];
  onopen: () => void = () => undefined;
  onmessage: (event: { data: unknown }) => void = () => undefined;
  onclose: () => void = () => undefined;

  constructor(readonly url: string) {
    Socket.all.push(this);
  }

  close(): void {
    this.onclose();
  }

  say(what: unknown): void {
    this.hand(JSON.stringify(what));
  }

  hand(data: unknown): void {
    this.onmessage({ data });
    vi.advanceTimersByTime(0);
  }
}
const last = (): Socket => Socket.all.at(-1) as Socket;
let stop: () => void = () => undefined;

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("window", { setTimeout });
  vi.stubGlobal("WebSocket", Socket);
  vi.stubGlobal("location", { protocol: "http:", host: "127.0.0.1:8484" });
  Socket.all = [];
  for (const one of Object.values(asked)) one.mockReset();
  messageStore.setState({ list: [] });
  asked.level.mockImplementation(() => new Promise(() => undefined));
  levelStore.setState({ levelId: null, busy: 0, online: true });
  loadLevel(delta(4, { changed: [placement("a")] }));
  stop = listen("level-1", () => undefined);
});

afterEach(() => {
  stop();
  vi.useRealTimers();
});

it("takes over what others have changed", () => {
  last().say(delta(5, { changed: [placement("a", { position: [3, 0, 0] })] }));
  expect(levelStore.getState().revision).toBe(5);
  expect(levelStore.getState().scene.things.get("a")).toMatchObject({ position: [3, 0, 0] });
  expect(asked.level).not.toHaveBeenCalled();
});

it("takes over what others have changed in columns, and leaves unread what it has already", () => {
  const data = Uint8Array.from(atob(example.columns), (c) => c.charCodeAt(0)).buffer;
  const { revision, changed } = example.delta;
  loadLevel(delta(revision));
  const body = vi.spyOn(globalThis, "Float64Array");
  last().hand(data);
  expect(body).not.toHaveBeenCalled();
  loadLevel(delta(revision - 1));
  last().hand(data);
  expect(levelStore.getState().revision).toBe(revision);
  const things = changed.filter((row) => row.kind !== "piece" && row.kind !== "level");
  expect(levelStore.getState().scene.things.size).toBe(things.length);
  body.mockRestore();
});

it("loads the level anew where a change was missed, or where it is told to", () => {
  last().say(delta(7));
  expect(asked.level).toHaveBeenCalledTimes(1);
  last().say({});
  expect(asked.level).toHaveBeenCalledTimes(2);
});

it.each([
  ["a Blob", new Blob(["x"])],
  ["bytes", new ArrayBuffer(8)],
  ["half a message", "{"],
  ["a word", '"x"'],
  ["nothing", "null"],
])("loads the level anew after %s, and throws nothing", (_, data) => {
  expect(() => last().hand(data)).not.toThrow();
  expect(asked.level).toHaveBeenCalledTimes(1);
  last().say(delta(5));
  expect(levelStore.getState().revision).toBe(5);
});

describe("while an own step is on its way", () => {
  /** Take a step whose answer is given by hand. */
  async function underway() {
    let give: (value: Delta) => void = () => undefined;
    let fail: (error: unknown) => void = () => undefined;
    asked.step.mockReturnValueOnce(
      new Promise<Delta>((resolve, reject) => {
        give = resolve;
        fail = reject;
      }),
    );
    const taken = takeStep("move", {}, ["a"]);
    await vi.advanceTimersByTimeAsync(0);
    expect(levelStore.getState().busy).toBe(1);
    return { taken, give, fail };
  }

  it("loses no change of others: it is taken over when the step was refused", async () => {
    const { taken, fail } = await underway();
    last().say(delta(5, { changed: [placement("a", { position: [3, 0, 0] })] }));
    last().say(delta(6, { changed: [placement("b")] }));
    expect(levelStore.getState().revision).toBe(4);
    fail(new Problem({ code: "geometry", status: 422, detail: "no", data: {} }));
    await taken;
    expect(levelStore.getState().revision).toBe(6);
    expect([...levelStore.getState().scene.things.keys()]).toEqual(["a", "b"]);
    expect(asked.level).not.toHaveBeenCalled();
  });

  it("leaves its own event to the answer, and takes what follows", async () => {
    const { taken, give } = await underway();
    last().say(delta(5, { changed: [placement("a", { position: [9, 0, 0] })] }));
    last().say(delta(6, { changed: [placement("b")] }));
    give(delta(5, { changed: [placement("a", { position: [1, 0, 0] })] }));
    await taken;
    expect(levelStore.getState().revision).toBe(6);
    expect(levelStore.getState().scene.things.get("a")).toMatchObject({ position: [1, 0, 0] });
  });

  it("tells that it is unknown whether it was done when the reply is lost, and then what stands", async () => {
    const { taken, fail } = await underway();
    asked.level.mockRejectedValueOnce(new Error("still away"));
    fail(new Problem({ code: "unknown", status: 0, detail: "unknown whether", data: {} }));
    await taken;
    expect(levelStore.getState().online).toBe(false);
    expect(messageStore.getState().list.map((m) => m.text)).toEqual(["unknown whether"]);
    asked.level.mockResolvedValueOnce(delta(5));
    last().onopen();
    await vi.advanceTimersByTimeAsync(0);
    expect(levelStore.getState()).toMatchObject({ revision: 5, online: true });
    expect(messageStore.getState().list.at(-1)?.text).toMatch("moved on by a step");
  });
});

it("comes again when it is lost, from the revision that it has then, ever more rarely", () => {
  expect(last().url).toBe("ws://127.0.0.1:8484/api/projects/here/levels/level-1/live?columns=true&revision=4");
  last().say(delta(5));
  for (const wait of [500, 1000, 2000]) {
    const count = Socket.all.length;
    last().close();
    expect(levelStore.getState().online).toBe(false);
    vi.advanceTimersByTime(wait - 1);
    expect(Socket.all).toHaveLength(count);
    vi.advanceTimersByTime(1);
    expect(Socket.all).toHaveLength(count + 1);
  }
  expect(last().url).toMatch(/revision=5$/);
  last().onopen();
  expect(levelStore.getState().online).toBe(true);
});

it("is over when it is stopped", () => {
  stop();
  vi.advanceTimersByTime(60_000);
  expect(Socket.all).toHaveLength(1);
  expect(levelStore.getState().online).toBe(true);
});
