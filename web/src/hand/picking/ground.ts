import { Vector3 } from "three";
import type { Vector } from "../../api/types";
import { levelStore } from "../../state/level";
import { viewport } from "../../viewport/controller";

/** The grid step of the level, metres. */
export const gridStep = (): number => levelStore.getState().scene.level?.step ?? 0.5;

/** A number on the grid; free ones stay as they are. */
export const onGrid = (value: number, free: boolean): number =>
  free ? value : Math.round(value / gridStep()) * gridStep();

/** The place of the grid under a place of the viewport, on what stands there or on the ground. */
export function groundAt(x: number, y: number, free: boolean): Vector | null {
  const at = viewport.surface(x, y);
  return at && [onGrid(at.x, free), Math.round(at.y * 1e6) / 1e6, onGrid(at.z, free)];
}

/** The place of the grid under a place of the viewport, at the height of what stands under it there; the ground where
 * there is nothing. Things that are not accepted are looked through. */
export function surfaceAt(x: number, y: number, free: boolean, accept?: (thing: string) => boolean): Vector | null {
  const hit = viewport.pick(x, y, accept);
  const at = hit?.point ?? viewport.ground(x, y);
  if (!at) return null;
  const place = new Vector3(onGrid(at.x, free), at.y, onGrid(at.z, free));
  // on the grid beside where the pointer is, what stands there may be higher or lower
  const floor = hit && !free ? viewport.floorUnder(place.clone().setY(at.y + gridStep()), accept) : null;
  return [place.x, Math.round((floor ?? at.y) * 1e6) / 1e6, place.z];
}

/** The place of the grid under a place of the viewport, on a level plane. */
export function levelAt(x: number, y: number, height: number, free: boolean): Vector | null {
  const at = viewport.ground(x, y, height);
  return at && [onGrid(at.x, free), height, onGrid(at.z, free)];
}

/** A typed place: X and Z on a height, or X, Y and Z. */
export function typedPlace(numbers: readonly number[], height = 0): Vector | null {
  const [x, y, z] = numbers;
  if (x === undefined || y === undefined) return null;
  return z === undefined ? [x, height, y] : [x, y, z];
}
