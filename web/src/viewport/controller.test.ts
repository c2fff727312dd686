import { Matrix4, Vector3 } from "three";
import { beforeEach, describe, expect, it } from "vitest";
import { nice, visibleStep } from "../scene/canvas/Grid";
import { itemMatrix } from "../scene/pieces/entries";
import type { ViewMode } from "../state/view";
import { viewport, worldNormal } from "./controller";

const view = (mode: ViewMode) => ({
  mode,
  draw: "edges" as const,
  stage: "build" as const,
  target: [2, 1, -3] as [number, number, number],
  yaw: 0.7,
  pitch: 0.4,
  isolated: null,
  inside: null,
  through: true,
  check: false,
  body: { height: 1.8, radius: 0.35, eye: 1.7, fov: 60, step: 0.45 },
  distance: 20,
});

beforeEach(() => {
  viewport.width = 768;
  viewport.height = 680;
});

describe.each(["free", "plan", "front", "side"] as const)("the %s view", (mode) => {
  it("sees its target in the middle, and rays go back to where points are seen", () => {
    viewport.aim(view(mode));
    const middle = viewport.seen([2, 1, -3]);
    expect(middle?.x).toBeCloseTo(384, 6);
    expect(middle?.y).toBeCloseTo(340, 6);
    for (const p of [new Vector3(4, 0, -1), new Vector3(-2, 3, -6)]) {
      const at = viewport.seen(p);
      const ray = viewport.ray(at?.x ?? 0, at?.y ?? 0);
      expect(ray.distanceToPoint(p)).toBeLessThan(1e-4);
    }
  });
});

it("lays plan, front and side the way they are named", () => {
  const right = (mode: ViewMode) => {
    viewport.aim(view(mode));
    const axis = new Vector3().setFromMatrixColumn(viewport.camera.matrixWorld, 0).round();
    return axis.toArray().map((v) => v + 0);
  };
  expect(right("plan")).toEqual([1, 0, 0]);
  expect(right("front")).toEqual([1, 0, 0]);
  expect(right("side")).toEqual([0, 0, -1]);
});

it("puts a piece's pivot on its position", () => {
  const pose = [5, 1, -2, 0, Math.SQRT1_2, 0, Math.SQRT1_2, 1, 2, 1];
  const matrix = itemMatrix(pose, { pivot: [0.5, 0, 0.25], axes: [0, 0, 0, 1] }, new Matrix4());
  expect(new Vector3(0.5, 0, 0.25).applyMatrix4(matrix).toArray()).toEqual([5, 1, -2]);
  const end = new Vector3(1.5, 1, 0.25).applyMatrix4(matrix);
  expect(end.x).toBeCloseTo(5, 12);
  expect(end.y).toBeCloseTo(3, 12);
  expect(end.z).toBeCloseTo(-3, 12);
});

it("keeps normals square to their faces and outward, whatever the sizes", () => {
  const slope = new Vector3(1, 1, 0).normalize();
  const along = new Vector3(1, -1, 0);
  for (const size of [
    [1, 1, 1],
    [4, 1, 0.5],
    [-1, 1, 1],
    [-2, 3, -1],
  ]) {
    const matrix = new Matrix4().makeRotationY(0.7).scale(new Vector3(...size));
    const normal = worldNormal(slope, matrix);
    expect(normal.length()).toBeCloseTo(1, 12);
    expect(normal.dot(along.clone().applyMatrix4(matrix))).toBeCloseTo(0, 12);
    // a point in front of the face stays in front of it
    expect(normal.dot(slope.clone().applyMatrix4(matrix))).toBeGreaterThan(0);
  }
});

it("chooses steps that can be told apart", () => {
  expect(nice(3.2)).toBe(5);
  expect(nice(0.11)).toBeCloseTo(0.2, 12);
  expect(nice(20)).toBe(20);
  expect(visibleStep(0.5, 0.01)).toBe(0.5);
  expect(visibleStep(0.5, 0.2)).toBe(2);
});

it("turns a piece by the axes of its pivot", () => {
  const half = Math.SQRT1_2;
  const piece = { pivot: [1, 0, 0], axes: [0, 0, half, half] } as {
    pivot: [number, number, number];
    axes: [number, number, number, number];
  };
  const matrix = itemMatrix([0, 0, 0, 0, 0, 0, 1, 1, 1, 1], piece, new Matrix4());
  const up = new Vector3(1, 1, 0).applyMatrix4(matrix); // one metre along the mesh's Y is along the pivot's X
  expect(up.x).toBeCloseTo(1, 12);
  expect(up.y).toBeCloseTo(0, 12);
});

describe.each(["free", "plan", "eye"] as const)("what a sphere spans in the %s view", (mode) => {
  it("is what its edge is seen at, and nothing out of sight", () => {
    const looking = view(mode);
    viewport.aim(looking);
    const ahead = new Vector3(0, 0, -1).transformDirection(viewport.camera.matrixWorld);
    const aside = new Vector3(1, 0, 0).transformDirection(viewport.camera.matrixWorld);
    const middle = viewport.camera.position.clone().addScaledVector(ahead, 30);
    const pixels = viewport.pixelScale();
    const at = (p: Vector3, reach: number) => pixels(new Float32Array([9, ...p.toArray(), reach]), 1);
    const [a, b] = [viewport.seen(middle), viewport.seen(middle.clone().addScaledVector(aside, 0.5))];
    expect(at(middle, 0.5)).toBeCloseTo((b?.x ?? 0) - (a?.x ?? 0), 2);
    expect(at(middle.clone().addScaledVector(aside, 500), 0.5)).toBe(0);
    expect(at(viewport.camera.position.clone().addScaledVector(ahead, -30), 0.5)).toBe(0);
  });
});
