import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { levelStore, loadLevel } from "../state/level";
import { delta } from "../testing/delta";
import { placement } from "../testing/rows";

const reload = vi.hoisted(() => vi.fn(async () => undefined));
vi.mock("./steps", () => ({ reload }));

import { listen } from "./live";

/** A socket that is opened, closed and spoken through by hand. */
class Socket {
  static all: Socket[] = [];
  onopen: () => void = () => undefined;
  onmessage: (event: { data: string }) => void = () => undefined;
  onclose: () => void = () => undefined;

  constructor(readonly url: string) {
    Socket.all.push(this);
  }

  close(): void {
    this.onclose();
  }

  say(what: unknown): void {
    this.onmessage({ data: JSON.stringify(what) });
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
  reload.mockClear();
  loadLevel(delta(4, { changed: [placement("a")] }));
  levelStore.setState({ busy: 0, online: true });
  stop = listen("level-1");
});

afterEach(() => {
  stop();
  vi.useRealTimers();
});

it("takes over what others have changed", () => {
  last().say(delta(5, { changed: [placement("a", { position: [3, 0, 0] })] }));
  expect(levelStore.getState().revision).toBe(5);
  expect(levelStore.getState().scene.things.get("a")).toMatchObject({ position: [3, 0, 0] });
  expect(reload).not.toHaveBeenCalled();
});

it("loads the level anew where a change was missed, or where it is told to", () => {
  last().say(delta(7));
  expect(reload).toHaveBeenCalledTimes(1);
  last().say({});
  expect(reload).toHaveBeenCalledTimes(2);
});

it("leaves own steps that are on their way to their answers", () => {
  levelStore.setState({ busy: 1 });
  last().say(delta(5));
  last().say(delta(7));
  expect(levelStore.getState().revision).toBe(4);
  expect(reload).not.toHaveBeenCalled();
});

it("comes again when it is lost, from the revision that it has then, ever more rarely", () => {
  expect(last().url).toBe("ws://127.0.0.1:8484/api/levels/level-1/live?revision=4");
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
