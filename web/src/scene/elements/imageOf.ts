import { Matrix4 } from "three";
import type { MirrorPlane } from "../../api/types";

/** From the mesh to its mirror image. */
export function imageOf({ point, normal }: MirrorPlane): Matrix4 {
  const [x, y, z] = normal;
  const twice = 2 * (x * point[0] + y * point[1] + z * point[2]);
  return new Matrix4().set(
    1 - 2 * x * x,
    -2 * x * y,
    -2 * x * z,
    twice * x,
    -2 * y * x,
    1 - 2 * y * y,
    -2 * y * z,
    twice * y,
    -2 * z * x,
    -2 * z * y,
    1 - 2 * z * z,
    twice * z,
    0,
    0,
    0,
    1,
  );
}
