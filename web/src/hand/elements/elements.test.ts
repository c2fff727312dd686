import { BufferGeometry, Float32BufferAttribute } from "three";
import { expect, test, vi } from "vitest";
import type { ViewMesh } from "../../scene/pieces/meshes";
import { piece } from "../../testing/rows";

vi.mock("../../scene/elements/open", () => ({ openNow: () => null, openItems: () => [] }));
vi.mock("./under", () => ({ inSight: () => true, onScreen: () => new Float32Array() }));
vi.mock("../../scene/pieces/meshes", () => ({ meshOf: () => null, putMesh: () => undefined }));

import { cageOf, verticesOf } from "../../scene/elements/cage";
import { measuresOf } from "../../scene/elements/measures";
import { falloff } from "./dragged";
import { rectangle, within } from "./inOutline";

/** A quad of 2 × 1 m in the plane z = 0, drawn by two triangles whose vertices come in another order than its own. */
function quad(): ViewMesh {
  const geometry = new BufferGeometry();
  const places = [0, 0, 0, 2, 0, 0, 2, 1, 0, 0, 1, 0];
  geometry.setAttribute("position", new Float32BufferAttribute([...places.slice(9), ...places.slice(0, 9)], 3));
  geometry.setIndex([1, 2, 3, 1, 3, 0]);
  const lines = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(places, 3));
  lines.setIndex([0, 1, 1, 2, 2, 3, 3, 0]);
  return {
    slots: [{ slot: 0, geometry, faces: [0, 0], vertices: [3, 0, 1, 2] }],
    outline: lines,
    inner: null,
    edges: { outline: [0, 2, 3, 1], inner: [] },
  };
}

test("a cage has vertices and edges by the mesh's own numbers", () => {
  const cage = cageOf(quad());
  expect([...cage.places.slice(3, 6)]).toEqual([2, 0, 0]);
  expect([...cage.ends]).toEqual([0, 1, 3, 0, 1, 2, 2, 3]);
  expect([...cage.triangles]).toEqual([0, 1, 2, 0, 2, 3]);
  expect(verticesOf(cage, "face", new Set([0])).sort()).toEqual([0, 1, 2, 3]);
  expect(verticesOf(cage, "edge", new Set([2])).sort()).toEqual([1, 2]);
});

test("what is picked is measured", () => {
  const cage = cageOf(quad());
  const own = piece("piece-1", {});
  expect(measuresOf(own, cage, "face", new Set([0]))).toEqual({ at: [1, 0.5, 0], area: 2, across: [2, 1] });
  expect(measuresOf(own, cage, "edge", new Set([0, 2])).long).toBeCloseTo(3);
  expect(measuresOf(own, cage, "vertex", new Set([0, 2])).apart).toBeCloseTo(Math.hypot(2, 1));
  expect(measuresOf(own, cage, "vertex", new Set([1])).at).toEqual([2, 0, 0]);
});

test("a falloff is measured along the edges", () => {
  const cage = cageOf(quad());
  const found = falloff(cage, [0], 4);
  // two metres along the long edge, one along the short one, three round the corner
  const share = (x: number) => 1 - x * x * (3 - 2 * x);
  expect(found.get(0)).toBe(1);
  expect(found.get(1)).toBeCloseTo(share(0.5));
  expect(found.get(3)).toBeCloseTo(share(0.25));
  expect(found.get(2)).toBeCloseTo(share(0.75));
  expect([...falloff(cage, [0], 0).keys()]).toEqual([0]);
});

test("places are within an outline or not", () => {
  const box = rectangle({ x: 10, y: 30 }, { x: 0, y: 0 });
  expect(within(box, 5, 5)).toBe(true);
  expect(within(box, 15, 5)).toBe(false);
  const hollow = [
    { x: 0, y: 0 },
    { x: 10, y: 0 },
    { x: 5, y: 5 },
    { x: 10, y: 10 },
    { x: 0, y: 10 },
  ];
  expect(within(hollow, 9, 5)).toBe(false);
  expect(within(hollow, 2, 5)).toBe(true);
});
