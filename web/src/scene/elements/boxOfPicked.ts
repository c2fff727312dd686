import { Vector3 } from "three";
import { pickedNow } from "../../state/elements";
import type { Box } from "../pieces/entries";
import { cageOf, verticesOf } from "./cage";
import { heldMatrix, openNow } from "./open";

/** The box in the level round what is picked of the open piece, on the item where the hand is; null for nothing. */
export function boxOfPicked(): Box | null {
  const { kind, ids } = pickedNow();
  const open = ids.size > 0 ? openNow() : null;
  const matrix = open && heldMatrix();
  if (!open || !matrix) return null;
  const cage = cageOf(open.mesh);
  const low = new Vector3(Infinity, Infinity, Infinity);
  const high = low.clone().negate();
  const at = new Vector3();
  for (const v of verticesOf(cage, kind, ids)) {
    at.fromArray(cage.places, 3 * v).applyMatrix4(matrix);
    low.min(at);
    high.max(at);
  }
  return low.x <= high.x ? { low, high } : null;
}
