import { BufferAttribute, BufferGeometry, Float32BufferAttribute, Vector3 } from "three";
import { expect, test } from "vitest";
import type { Cage } from "../../scene/elements/cage";
import { imageOf } from "../../scene/elements/imageOf";
import { imaged, seamOf, withImageLines, withImages } from "./otherHalf";

const across: { point: [number, number, number]; normal: [number, number, number] } = {
  point: [1, 0, 0],
  normal: [1, 0, 0],
};
const leaning: typeof across = { point: [1, 2, 3], normal: [0.6, 0, 0.8] };

test("an image lies as far behind the plane as what it is of lies before it", () => {
  for (const plane of [across, leaning]) {
    const normal = new Vector3(...plane.normal);
    const away = (p: Vector3) =>
      p
        .clone()
        .sub(new Vector3(...plane.point))
        .dot(normal);
    const p = new Vector3(4, -1, 2);
    const over = p.clone().applyMatrix4(imageOf(plane));
    expect(away(over)).toBeCloseTo(-away(p));
    expect(over.clone().sub(p).cross(normal).length()).toBeCloseTo(0);
    expect(imageOf(plane).determinant()).toBeCloseTo(-1);
  }
});

test("the other half of a triangle looks the other way across the plane, and its lines go along", () => {
  const places = [1, 0, 0, 3, 0, 0, 1, 2, 0];
  const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(places, 3));
  geometry.setIndex([0, 1, 2]);
  const over = imaged(geometry, imageOf(across));
  expect([...over.getAttribute("position").array]).toEqual([1, 0, 0, -1, 0, 0, 1, 2, 0]);
  expect([...(over.index?.array ?? [])]).toEqual([0, 2, 1]);
  expect([...geometry.getAttribute("position").array]).toEqual(places);
  const both = withImages(geometry.getAttribute("position") as BufferAttribute, imageOf(across));
  expect(both.count).toBe(6);
  const lines = new BufferGeometry().setIndex(new BufferAttribute(new Uint32Array([0, 1, 1, 2]), 1));
  expect([...(withImageLines(lines, both).index?.array ?? [])]).toEqual([0, 1, 1, 2, 3, 4, 4, 5]);
});

test("what is on the plane is held on it, whatever it is dragged by", () => {
  const cage = { places: new Float32Array([1, 0, 0, 3, 0, 0]) } as Cage;
  const seam = seamOf(across, cage);
  expect(seam.on(new Vector3(1.000001, 5, 5))).toBe(true);
  expect(seam.on(new Vector3(1.001, 0, 0))).toBe(false);
  expect(seam.put(new Vector3(1.5, 2, 3)).toArray()).toEqual([1, 2, 3]);
});
