import { Quaternion, Vector3 } from "three";
import { beforeEach, describe, expect, it } from "vitest";
import type { Feature, Measure, Turn } from "../api/types";
import { course, group, path, placement, sceneOf } from "../testing/rows";
import {
  aboutParams,
  axesOf,
  axesParams,
  type HandleSettings,
  handleStore,
  held,
  pivotOf,
  setHandles,
} from "./handles";
import { select } from "./selection";

const turned = (degrees: number): Turn =>
  new Quaternion().setFromAxisAngle(new Vector3(0, 1, 0), (degrees * Math.PI) / 180).toArray() as Turn;
const scene = sceneOf(
  group("yard", { turn: turned(30), position: [9, 0, 0] }),
  placement("crate", { group: "yard", position: [1, 0, 0], turn: turned(45) }),
  placement("post", { position: [3, 2, 0], turn: turned(60) }),
  placement("shut", { locked: true }),
  path("quay", [0, 0, 0], [4, 0, 0], [8, 3, 6]),
);
const first: HandleSettings = handleStore.getState();
const hold = (part: Partial<HandleSettings>): HandleSettings => ({ ...first, ...part });
const feature = { thing: "post", item: 0, kind: "vertex", index: 3, face: 1, point: [7, 8, 9] } as unknown as Feature;
const screen = new Quaternion(...turned(10));
const angle = (q: Quaternion) => (2 * Math.asin(q.y) * 180) / Math.PI;

beforeEach(() => handleStore.setState(first, true));

describe("the handles", () => {
  it("hold what stands, all of it or nothing", () => {
    expect(held(scene, ["crate", "post"])?.map((t) => t.id)).toEqual(["crate", "post"]);
    expect(held(scene, ["crate", "shut"])).toBeNull();
    expect(held(scene, ["crate", "nothing"])).toBeNull();
    expect(held(scene, [])).toBeNull();
  });

  it("hold a path at the middle of its points, in the axes of the world", () => {
    expect(held(scene, ["quay"])).toEqual([{ id: "quay", kind: "path", position: [4, 1, 2], turn: [0, 0, 0, 1] }]);
    expect(pivotOf(scene, ["quay", "crate"], hold({}))?.toArray()).toEqual([2.5, 0.5, 1]);
    expect(axesOf(scene, ["quay"], hold({ axes: "piece" }), screen).toArray()).toEqual([0, 0, 0, 1]);
  });

  it("leave what is laid along a held path to follow it", () => {
    const laid = sceneOf(path("quay", [0, 0, 0], [4, 0, 0]), course("posts", "quay"));
    expect(held(laid, ["posts", "quay"])?.map((t) => t.id)).toEqual(["quay"]);
    expect(held(laid, ["posts"])).toBeNull();
  });

  it("hold a measure at its start", () => {
    const kept = { kind: "measure", id: "gap", name: "gap", start: [1, 2, 3], end: [4, 5, 6] } as Measure;
    expect(held(sceneOf(kept), ["gap"])?.map((t) => t.position)).toEqual([[1, 2, 3]]);
  });

  it("stand in the middle, at the first, or at a point", () => {
    const ids = ["crate", "post"];
    expect(pivotOf(scene, ids, hold({}))?.toArray()).toEqual([2, 1, 0]);
    expect(pivotOf(scene, ids, hold({ pivot: "first" }))?.toArray()).toEqual([1, 0, 0]);
    expect(pivotOf(scene, ids, hold({ pivot: "typed", point: [4, 5, 6] }))?.toArray()).toEqual([4, 5, 6]);
    expect(pivotOf(scene, ["shut"], hold({}))).toBeNull();
  });

  it.each([
    ["world", 0],
    ["piece", 45],
    ["group", 30],
    ["screen", 10],
    ["picked", 80],
  ] as const)("have the axes of the %s", (axes, degrees) => {
    const found = axesOf(scene, ["crate", "post"], hold({ axes, frame: turned(80) }), screen);
    expect(angle(found)).toBeCloseTo(degrees, 9);
  });

  it("tell tools their axes: own ones for one, given ones for many", () => {
    const frame = new Quaternion(...turned(30));
    expect(axesParams(hold({}), 3, frame)).toEqual({ axes: "world" });
    expect(axesParams(hold({ axes: "piece" }), 1, frame)).toEqual({ axes: "piece" });
    expect(axesParams(hold({ axes: "piece" }), 2, frame)).toEqual({ axes: "first" });
    expect(axesParams(hold({ axes: "group" }), 1, frame)).toEqual({ axes: "group" });
    expect(axesParams(hold({ axes: "group" }), 2, frame)).toEqual({ axes: "given", frame: turned(30) });
    expect(axesParams(hold({ axes: "screen" }), 1, frame)).toEqual({ axes: "given", frame: turned(30) });
  });

  it("tell tools what they turn about", () => {
    expect(aboutParams(hold({}), 1)).toEqual({ about_what: "own pivot" });
    expect(aboutParams(hold({}), 2)).toEqual({ about_what: "middle" });
    expect(aboutParams(hold({ pivot: "each" }), 2)).toEqual({ about_what: "own pivot" });
    expect(aboutParams(hold({ pivot: "first" }), 2)).toEqual({ about_what: "first" });
    expect(aboutParams(hold({ pivot: "typed", point: [1, 2, 3] }), 2)).toEqual({
      about_what: "point",
      point: [1, 2, 3],
    });
    expect(aboutParams(hold({ pivot: "picked", point: [7, 8, 9], feature }), 2)).toEqual({
      about_what: "picked",
      picked: { thing: "post", item: 0, kind: "vertex", index: 3, face: 1, share: 0.5 },
    });
  });

  it("go back to the middle with another selection, but for each its own", () => {
    select(["crate"]);
    setHandles({ pivot: "picked", point: [7, 8, 9], feature, axes: "picked", frame: turned(80) });
    select(["post"]);
    expect(handleStore.getState()).toMatchObject({ pivot: "middle", feature: null, axes: "world" });
    setHandles({ pivot: "each", axes: "piece" });
    select(["crate"]);
    expect(handleStore.getState()).toMatchObject({ pivot: "each", axes: "piece" });
  });
});
