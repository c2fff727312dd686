import { Vector3 } from "three";
import { beforeEach, describe, expect, it, vi } from "vitest";

const browser = vi.hoisted(() => ({
  addEventListener: () => undefined,
  matchMedia: () => ({ matches: true }),
}));
vi.hoisted(() => {
  globalThis.window = browser as unknown as typeof window;
});

vi.mock("../scene/elements/boxOfPicked", () => ({ boxOfPicked: () => null }));

import { setView, type ViewMode, viewStore } from "../state/view";
import { viewport } from "./controller";
import { endTransition, lookAtBox, lookBy, shiftView, turnView } from "./looking";

const low = new Vector3(-3, 0, 10);
const high = new Vector3(9, 5, 14);
const corners = [0, 1, 2, 3, 4, 5, 6, 7].map(
  (k) => new Vector3(k & 1 ? high.x : low.x, k & 2 ? high.y : low.y, k & 4 ? high.z : low.z),
);
const first = viewStore.getState();

beforeEach(() => {
  viewStore.setState(first, true);
  Object.assign(viewport, { width: 768, height: 680 });
  viewport.aim(viewStore.getState());
});

describe.each(["free", "plan", "front", "side"] as ViewMode[])("looking at a box, %s", (mode) => {
  it.each([
    [768, 680],
    [300, 900],
    [1600, 400],
  ])("shows the whole of it in %i × %i pixels, and not much more", (width, height) => {
    Object.assign(viewport, { width, height });
    setView({ mode, yaw: 2.1, pitch: 0.4 });
    lookAtBox({ low, high }, true);
    viewport.aim(viewStore.getState());
    const seen = corners.map((c) => viewport.seen(c));
    for (const at of seen) {
      expect(at?.x).toBeGreaterThan(0);
      expect(at?.x).toBeLessThan(width);
      expect(at?.y).toBeGreaterThan(0);
      expect(at?.y).toBeLessThan(height);
    }
    const span = (pick: "x" | "y") => {
      const all = seen.map((at) => at?.[pick] ?? 0);
      return Math.max(...all) - Math.min(...all);
    };
    expect(Math.max(span("x") / width, span("y") / height)).toBeGreaterThan(0.5);
    expect(viewStore.getState().mode).toBe(mode);
  });
});

describe("the view", () => {
  it("is there at once where motion is not wanted", () => {
    lookAtBox({ low, high });
    expect(viewStore.getState().target).toEqual([3, 2.5, 12]);
  });

  it("goes to another one step by step, and a press skips the way", () => {
    const steps: FrameRequestCallback[] = [];
    vi.stubGlobal("requestAnimationFrame", (step: FrameRequestCallback) => steps.push(step));
    vi.stubGlobal("cancelAnimationFrame", () => undefined);
    browser.matchMedia = () => ({ matches: false });
    lookAtBox({ low, high });
    expect(viewStore.getState().target).toEqual([0, 0, 0]);
    steps.shift()?.(0);
    expect(viewStore.getState().target).not.toEqual([3, 2.5, 12]);
    endTransition();
    expect(viewStore.getState().target).toEqual([3, 2.5, 12]);
    browser.matchMedia = () => ({ matches: true });
    vi.unstubAllGlobals();
    globalThis.window = browser as unknown as typeof window;
  });

  it("keeps what is turned about where it is seen", () => {
    setView({ target: [1, 2, 3], distance: 12 });
    viewport.aim(viewStore.getState());
    const about = new Vector3(2, 1, 4);
    const before = viewport.seen(about);
    turnView(40, -25, about);
    viewport.aim(viewStore.getState());
    const after = viewport.seen(about);
    expect(after?.x).toBeCloseTo(before?.x ?? 0, 6);
    expect(after?.y).toBeCloseTo(before?.y ?? 0, 6);
  });

  it("goes along with the hand when it is shifted", () => {
    setView({ target: [1, 2, 3], distance: 12 });
    viewport.aim(viewStore.getState());
    const target = new Vector3(1, 2, 3);
    shiftView(30, -20);
    viewport.aim(viewStore.getState());
    const at = viewport.seen(target);
    expect(at?.x).toBeCloseTo(768 / 2 + 30, 6);
    expect(at?.y).toBeCloseTo(680 / 2 - 20, 6);
  });

  it("leaves a straight view when it is turned, and never stands on its head", () => {
    lookBy("front");
    expect(viewStore.getState().mode).toBe("front");
    turnView(10, 0, null);
    expect(viewStore.getState().mode).toBe("free");
    turnView(0, 100_000, null);
    expect(viewStore.getState().pitch).toBeLessThan(Math.PI / 2);
  });
});
