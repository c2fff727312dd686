import { Matrix4, Quaternion, Vector3 } from "three";
import type { Thing } from "../../api/types";
import { boxAboutPivot, boxOf } from "../../scene/pieces/entries";
import type { Scene } from "../../state/level";
import { under } from "../../state/tree";

/** The box that sizing tabs stand on: its corners in a frame of its own, and the frame in the world. */
export interface SizeBox {
  low: Vector3;
  high: Vector3;
  turn: Quaternion;
  /** The origin of the frame. */
  at: Vector3;
  axes: "piece" | "world";
  /** Whether one axis may be sized by itself: else something in it would be skewed. */
  even: boolean;
}

/** The box of what is selected: along its own axes for one placement, array or group, else along the world's. */
export function sizeBox(scene: Scene, ids: readonly string[]): SizeBox | null {
  const one = ids.length === 1 ? scene.things.get(ids[0] ?? "") : undefined;
  if (one?.kind === "placement") {
    const piece = scene.pieces.get(one.piece);
    if (!piece) return null;
    const { low, high } = boxAboutPivot(piece);
    const size = new Vector3(...one.size);
    const [a, b] = [low.multiply(size), high.multiply(size)];
    const turn = new Quaternion(...one.turn);
    const at = new Vector3(...one.position);
    return { low: a.clone().min(b), high: a.max(b), turn, at, axes: "piece", even: true };
  }
  const own = one?.kind === "array" || one?.kind === "group" ? one : null;
  const turn = own ? new Quaternion(...own.turn) : new Quaternion();
  const box = boxOf(scene, ids, own ? turn : undefined);
  const even = under(scene.things, ids).every((thing) => isAlong(thing, turn));
  return box && { ...box, turn, at: new Vector3(), axes: own ? "piece" : "world", even };
}

/** Whether a thing stands along axes or is turned by quarters against them; what has no axes of its own does. */
function isAlong(thing: Thing, axes: Quaternion): boolean {
  if (thing.kind !== "placement" && thing.kind !== "array") return true;
  const turn = axes
    .clone()
    .invert()
    .multiply(new Quaternion(...thing.turn));
  const { elements } = new Matrix4().makeRotationFromQuaternion(turn);
  return elements.every((v) => Math.abs(v - Math.round(v)) < 1e-9);
}

/** A place of the box in the world; each share is 0 at the low side and 1 at the high one. */
export function placeIn(box: SizeBox, shares: Vector3): Vector3 {
  const { low, high, turn, at } = box;
  return high.clone().sub(low).multiply(shares).add(low).applyQuaternion(turn).add(at);
}

/** The matrix that sizes by factors along the box's axes about a point of the world. */
export function sizeMatrix(box: SizeBox, factors: Vector3, about: Vector3): Matrix4 {
  const frame = new Matrix4().makeRotationFromQuaternion(box.turn).setPosition(about);
  return frame
    .clone()
    .multiply(new Matrix4().makeScale(factors.x, factors.y, factors.z))
    .multiply(frame.invert());
}
