import { Euler, Quaternion } from "three";
import type { Vector } from "./vector";

/** Turns about X, Y and Z in degrees (Y first, then X, then Z) of a quaternion: of the two ways to say it, the one that
 * turns less. */
export function degrees(turn: readonly number[] | undefined): Vector {
  const [x = 0, y = 0, z = 0, w = 1] = turn ?? [];
  const e = new Euler().setFromQuaternion(new Quaternion(x, y, z, w), "YXZ");
  const one = [e.x, e.y, e.z].map((v) => (v * 180) / Math.PI);
  const [a = 0, b = 0, c = 0] = one;
  const other = [half(180 - a), half(b + 180), half(c + 180)];
  const total = (v: number[]) => v.reduce((sum, d) => sum + Math.abs(d), 0);
  const least = total(other) < total(one) - 1e-6 ? other : one;
  return least.map((v) => Number(v.toFixed(6)) + 0) as Vector;
}

/** An angle as −180 … 180. */
const half = (angle: number): number => ((((angle + 180) % 360) + 360) % 360) - 180;
