import { expect, test } from "vitest";
import type { Vector } from "../../api/types";
import { starterOf } from "./starter";

const A: Vector = [1, 0.5, 2];
const B: Vector = [7, 0.5, 2];
const turned = (v: [number, number], degrees: number): [number, number] => {
  const a = (degrees * Math.PI) / 180;
  return [v[0] * Math.cos(a) + v[1] * Math.sin(a), -v[0] * Math.sin(a) + v[1] * Math.cos(a)];
};

test("a line goes from the one to the other, whatever its direction", () => {
  const to: Vector = [1 + 3, 0.5, 2 - 4];
  const found = starterOf("line", A, to, null);
  expect(found?.length).toBeCloseTo(5, 9);
  const [x, z] = turned([5, 0], Number(found?.heading));
  expect([x, z][0]).toBeCloseTo(3, 9);
  expect([x, z][1]).toBeCloseTo(-4, 9);
});

test("an arc ends at both places and bows out to where it was pulled", () => {
  for (const [side, far] of [
    [[4, 0.5, 0.5], 1.5],
    [[4, 0.5, 3], 1],
    [[4, 0.5, -6], 8],
  ] as [Vector, number][]) {
    const found = starterOf("arc", A, B, side);
    const [r, sweep, heading] = [Number(found?.radius), Number(found?.sweep), Number(found?.heading)];
    const begin = found?.position as Vector;
    // its own: from the origin along X, about a centre at +Z
    const at = (share: number): [number, number] => {
      const a = (sweep * share * Math.PI) / 180;
      const [x, z] = turned([r * Math.sin(a), r - r * Math.cos(a)], heading);
      return [begin[0] + x, begin[2] + z];
    };
    const ends = [at(0), at(1)].sort((a, b) => a[0] - b[0]);
    expect(ends[0]?.[0]).toBeCloseTo(1, 6);
    expect(ends[1]?.[0]).toBeCloseTo(7, 6);
    expect(ends[1]?.[1]).toBeCloseTo(2, 6);
    expect(at(0.5)[0]).toBeCloseTo(4, 6);
    expect(at(0.5)[1]).toBeCloseTo(2 + Math.sign(side[2] - 2) * far, 6);
  }
});

test("a rectangle has the way as a side and reaches to the third place", () => {
  const found = starterOf("rectangle", A, B, [3, 0.5, 6]);
  expect(found).toMatchObject({ length: 6, width: 4, position: [4, 0.5, 4] });
  expect(starterOf("rectangle", A, B, [3, 0.5, -1])).toMatchObject({ width: 3, position: [4, 0.5, 0.5] });
});

test("an S ends to the side it was pulled to, and what is too small is nothing", () => {
  expect(starterOf("S", A, B, [7, 0.5, 5])).toMatchObject({ length: 6, width: 3, heading: 0 });
  expect(starterOf("S", A, B, [7, 0.5, 0])).toMatchObject({ width: -2 });
  expect(starterOf("circle", A, A, null)).toBeNull();
});
