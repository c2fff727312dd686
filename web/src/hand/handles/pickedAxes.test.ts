import { Quaternion, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import type { Turn, Vector } from "../../api/types";
import { frameOfNormal, frameThrough } from "./pickedAxes";

const axis = (turn: Turn | null, of: Vector) => new Vector3(...of).applyQuaternion(new Quaternion(...(turn ?? [])));
const near = (a: Vector3, b: Vector3) => expect(a.distanceTo(b)).toBeLessThan(1e-12);

describe("axes that are picked", () => {
  it.each([[[0, 1, 0]], [[0, -1, 0]], [[3, 0, 0]], [[1, 2, -2]], [[-0.1, 0.001, 5]]] as [Vector][])(
    "have Y along the normal %j and X level",
    (normal) => {
      const turn = frameOfNormal(normal);
      near(axis(turn, [0, 1, 0]), new Vector3(...normal).normalize());
      expect(Math.abs(axis(turn, [1, 0, 0]).y)).toBeLessThan(1e-12);
      expect(new Quaternion(...turn).length()).toBeCloseTo(1, 12);
    },
  );

  it.each([
    [
      [0, 0, 0],
      [2, 0, 0],
    ],
    [
      [1, 1, 1],
      [1, 5, 1],
    ],
    [
      [3, -1, 2],
      [-2, 4, 7],
    ],
  ] as [Vector, Vector][])("have X from %j to %j and Y upwards", (from, to) => {
    const turn = frameThrough(from, to);
    const x = new Vector3(...to).sub(new Vector3(...from)).normalize();
    near(axis(turn, [1, 0, 0]), x);
    expect(axis(turn, [0, 1, 0]).y).toBeGreaterThanOrEqual(0);
    expect(
      axis(turn, [1, 0, 0])
        .cross(axis(turn, [0, 1, 0]))
        .distanceTo(axis(turn, [0, 0, 1])),
    ).toBeLessThan(1e-12);
  });

  it("are none through one point", () => {
    expect(frameThrough([1, 2, 3], [1, 2, 3])).toBeNull();
  });
});
