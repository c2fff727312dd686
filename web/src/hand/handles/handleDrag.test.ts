import { Plane, Ray, Vector3 } from "three";
import { beforeEach, describe, expect, it, vi } from "vitest";

const mocks = vi.hoisted(() => ({
  takeStep: vi.fn(async () => ({})),
  previewStep: vi.fn(),
  settled: vi.fn(async (): Promise<unknown> => null),
}));
vi.mock("../../state/steps", () => mocks);
vi.mock("../../scene/elements/open", () => ({ openNow: () => null, heldMatrix: () => null }));
vi.mock("../elements/dragged", () => ({ DraggedMesh: class {} }));
vi.mock("./snapping", () => ({
  Snapping: class {
    holds = false;
    settled = mocks.settled;
    ask(): void {}
    drop(): void {}
  },
}));
// a pointer at (x, y) looks straight down on the point (x, 0, y) of the ground
vi.mock("../../viewport/controller", () => ({
  viewport: {
    ray: (x: number, y: number) => new Ray(new Vector3(x, 100, y), new Vector3(0, -1, 0)),
    pick: () => null,
    ground: (x: number, y: number, height = 0) =>
      new Ray(new Vector3(x, 100, y), new Vector3(0, -1, 0)).intersectPlane(
        new Plane(new Vector3(0, 1, 0), -height),
        new Vector3(),
      ),
    camera: { position: new Vector3(0, 50, 0), far: 1000, quaternion: { clone: () => null } },
    handles: new Set(),
  },
}));

import { dragStore } from "../../state/drag";
import { handleStore, setHandles } from "../../state/handles";
import { loadLevel } from "../../state/level";
import { setTyped } from "../../state/running";
import { select } from "../../state/selection";
import { delta } from "../../testing/delta";
import { course, path, placement } from "../../testing/rows";
import { holdHandle } from "./handleDrag";

const first = handleStore.getState();
const step = () => mocks.takeStep.mock.lastCall as unknown as [string, Record<string, unknown>, string[]] | undefined;
/** Take hold of a handle of things, and the drag. */
function take(handle: string, at: [number, number], ...ids: string[]) {
  select(ids);
  const held = holdHandle(handle, at[0], at[1], new Vector3(at[0], 0, at[1]));
  if (!held) throw new Error("there is no such handle");
  return held;
}

beforeEach(() => {
  vi.clearAllMocks();
  handleStore.setState(first, true);
  setTyped("");
  loadLevel(
    delta(1, {
      changed: [
        placement("box", { position: [1.2, 0, 0] }),
        placement("post", { position: [3, 0, 0] }),
        path("quay", [0, 0, 0], [4, 0, 0]),
        course("stones", "quay"),
      ],
    }),
  );
});

describe("a shaft", () => {
  it("puts a single thing on the grid, and shows it on the way", async () => {
    const held = take("move-x", [1.2, 0], "box");
    held.move(3.6, 0.4, false);
    expect(dragStore.getState().now?.of.get("box")?.elements[12]).toBeCloseTo(2.3, 9);
    await held.finish();
    expect(step()).toEqual(["set_pose", { position: [3.5, 0, 0] }, ["box"]]);
    expect(dragStore.getState().now).toBeNull();
  });

  it("goes where the hand goes while snapping is let go of", async () => {
    const held = take("move-x", [1.2, 0], "box");
    held.move(3.63, 0, true);
    await held.finish();
    const position = step()?.[1].position as number[];
    expect(position[0]).toBeCloseTo(3.63, 9);
  });

  it("takes a distance that is typed, or the place itself after to", async () => {
    const held = take("move-x", [1.2, 0], "box");
    setTyped("2.25");
    await held.finish();
    expect(step()).toEqual(["move", { by: [2.25, 0, 0], axes: "world" }, ["box"]]);
    const again = take("move-x", [1.2, 0], "box");
    setTyped("to 5");
    await again.finish();
    const by = step()?.[1].by as number[];
    expect(by[0]).toBeCloseTo(3.8, 9);
  });

  it("moves several things and paths by what is between, with what is laid along them", async () => {
    const held = take("move-x", [2, 0], "box", "quay", "stones");
    held.move(4.1, 0, false);
    expect([...(dragStore.getState().now?.of.keys() ?? [])].sort()).toEqual(["box", "quay", "stones"]);
    await held.finish();
    expect(step()).toEqual(["move", { by: [2, 0, 0], axes: "world" }, ["box", "quay"]]);
    const alone = take("move-x", [2, 0], "quay");
    alone.move(3, 0, false);
    await alone.finish();
    expect(step()?.[0]).toBe("move");
  });

  it("docks on what it has caught", async () => {
    mocks.settled.mockResolvedValueOnce({ grip: { thing: "box" }, landing: { thing: "post" } });
    const held = take("move-x", [1.2, 0], "box");
    held.move(3, 0, false);
    await held.finish();
    expect(step()).toEqual(["dock", { grip: { thing: "box" }, landing: { thing: "post" } }, ["box"]]);
  });

  it("takes no step where nothing has moved, or where it is given up", async () => {
    await take("move-x", [1.2, 0], "box").finish();
    const held = take("move-x", [1.2, 0], "box");
    held.move(9, 0, false);
    held.cancel();
    expect(mocks.takeStep).not.toHaveBeenCalled();
    expect(dragStore.getState().now).toBeNull();
  });

  it("leads the whole picked pivot along with what it is on", async () => {
    const held = take("move-x", [1, 1], "box");
    setHandles({ pivot: "picked", point: [1, 1, 1], feature: { thing: "box" } as never });
    setTyped("2");
    await held.finish();
    expect(handleStore.getState().point).toEqual([3, 1, 1]);
  });
});

describe("a plane tab and the ground", () => {
  it("move along two axes, and over the ground", async () => {
    const held = take("move-xz", [1.2, 0], "box");
    held.move(3.3, 2.6, false);
    await held.finish();
    expect(step()).toEqual(["set_pose", { position: [3.5, 0, 2.5] }, ["box"]]);
    const free = take("free-xyz", [1.2, 0], "box");
    free.move(6.1, -3.1, false);
    await free.finish();
    expect(step()).toEqual(["set_pose", { position: [6, 0, -3] }, ["box"]]);
  });
});

describe("a dial", () => {
  it("turns by steps, by what is typed, and each thing about itself where wanted", async () => {
    const held = take("turn-y", [0, 0], "box");
    setTyped("35");
    expect(dragStore.getState().now?.of.get("box")?.elements[0]).toBeCloseTo(Math.cos((35 * Math.PI) / 180), 9);
    await held.finish();
    expect(step()).toEqual(["turn", { angle: 35, axis: "y", axes: "world", about_what: "own pivot" }, ["box"]]);
    setTyped("");
    setHandles({ pivot: "each" });
    const both = take("turn-y", [0, 0], "box", "post");
    setTyped("90");
    const of = dragStore.getState().now?.of;
    for (const [id, x] of [
      ["box", 1.2],
      ["post", 3],
    ] as const) {
      const at = of?.get(id) && new Vector3(x, 0, 0).applyMatrix4(of.get(id) as never);
      expect(at?.distanceTo(new Vector3(x, 0, 0))).toBeLessThan(1e-9);
    }
    await both.finish();
    expect(step()?.[1]).toMatchObject({ angle: 90, about_what: "own pivot" });
  });
});

it("is held only by its name", () => {
  select(["box"]);
  expect(holdHandle("nothing", 0, 0, new Vector3())).toBeNull();
});
