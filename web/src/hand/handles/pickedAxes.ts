import { Matrix4, Quaternion, Vector3 } from "three";
import type { Turn, Vector } from "../../api/types";

/** Axes with Y along a face's normal and X level. */
export function frameOfNormal(normal: Vector): Turn {
  const y = new Vector3(...normal).normalize();
  const x = new Vector3(0, 1, 0).cross(y);
  if (x.lengthSq() < 1e-12) x.set(1, 0, 0);
  return turnOf(x.normalize(), y);
}

/** Axes with X from one point to another and Y as upright as it can be; null where the points are one. */
export function frameThrough(from: Vector, to: Vector): Turn | null {
  const x = new Vector3(...to).sub(new Vector3(...from));
  if (x.lengthSq() < 1e-12) return null;
  x.normalize();
  const y = new Vector3(0, 1, 0).addScaledVector(x, -x.y);
  if (y.lengthSq() < 1e-12) y.set(0, 0, -1);
  return turnOf(x, y.normalize());
}

function turnOf(x: Vector3, y: Vector3): Turn {
  const z = x.clone().cross(y).normalize();
  return new Quaternion().setFromRotationMatrix(new Matrix4().makeBasis(x, y, z)).toArray() as Turn;
}
