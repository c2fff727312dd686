import { Matrix4, Quaternion, Vector3 } from "three";
import type { Piece, Thing } from "../../api/types";
import { kindOf } from "../../state/kinds";
import { isShown, type Scene } from "../../state/level";
import { isHidden, under } from "../../state/tree";

/** One item that is drawn: which thing it belongs to, its number there, and its pose (position, turn, size). */
export interface Entry {
  thing: string;
  item: number;
  pose: readonly number[];
}

const runs = new WeakMap<readonly (readonly number[])[], Entry[]>();

function entriesOf(scene: Scene, thing: Thing): readonly Entry[] {
  const poses = kindOf(thing).poses?.(scene, thing);
  if (!poses) return [];
  let run = runs.get(poses);
  if (!run) {
    run = poses.map((pose, item) => ({ thing: thing.id, item, pose }));
    runs.set(poses, run);
  }
  return run;
}

/** Whether a thing is drawn: neither hidden nor left out while others are isolated. */
export const isDrawn = (scene: Scene, thing: Thing, isolated: ReadonlySet<string> | null): boolean =>
  !isHidden(scene.things, thing.id) && (isolated === null || isolated.has(thing.id));

/** What is drawn of each piece; lists that did not change are those of `before`. */
export function entriesByPiece(
  scene: Scene,
  before: ReadonlyMap<string, readonly Entry[]>,
  isolated: ReadonlySet<string> | null = null,
): Map<string, readonly Entry[]> {
  const found = new Map<string, Entry[]>();
  for (const thing of scene.things.values()) {
    if (!isShown(thing) || !isDrawn(scene, thing, isolated)) continue;
    const list = found.get(thing.piece);
    const more = entriesOf(scene, thing);
    if (list) for (const entry of more) list.push(entry);
    else found.set(thing.piece, [...more]);
  }
  const out = new Map<string, readonly Entry[]>();
  for (const [piece, list] of found) {
    const old = before.get(piece);
    out.set(piece, old && old.length === list.length && old.every((e, k) => e === list[k]) ? old : list);
  }
  return out;
}

const position = new Vector3();
const turn = new Quaternion();
const size = new Vector3();
const offset = new Matrix4();
const middle = new Vector3();
const half = new Vector3();
const reach = new Vector3();
const far = new Vector3();

/** The matrix of an item: T · R · S · Qᵀ · (p − pivot), where Q are the axes of the pivot. */
export function itemMatrix(pose: readonly number[], piece: Pick<Piece, "pivot" | "axes">, out: Matrix4): Matrix4 {
  const { pivot, axes } = piece;
  poseMatrix(pose, out);
  if (axes && axes[3] !== 1) {
    out.multiply(offset.makeRotationFromQuaternion(turn.set(-axes[0], -axes[1], -axes[2], axes[3])));
  }
  return out.multiply(offset.makeTranslation(-(pivot?.[0] ?? 0), -(pivot?.[1] ?? 0), -(pivot?.[2] ?? 0)));
}

/** The matrix of a pose (position, turn, size) alone. */
export function poseMatrix(pose: readonly number[], out: Matrix4): Matrix4 {
  const [x = 0, y = 0, z = 0, i = 0, j = 0, k = 0, w = 1, a = 1, b = 1, c = 1] = pose;
  return out.compose(position.set(x, y, z), turn.set(i, j, k, w), size.set(a, b, c));
}

export interface Box {
  low: Vector3;
  high: Vector3;
}

const copyOf = ({ low, high }: Box): Box => ({ low: low.clone(), high: high.clone() });

const aboutPivots = new WeakMap<Piece, Box>();

function keptAboutPivot(piece: Piece): Box {
  let box = aboutPivots.get(piece);
  if (!box) {
    const [i, j, k, w] = piece.axes ?? [0, 0, 0, 1];
    const pivot = new Vector3(...(piece.pivot ?? [0, 0, 0])).applyQuaternion(new Quaternion(-i, -j, -k, w));
    box = { low: new Vector3(...piece.facts.low).sub(pivot), high: new Vector3(...piece.facts.high).sub(pivot) };
    aboutPivots.set(piece, box);
  }
  return box;
}

/** The box of a piece along its pivot's axes, measured from its pivot. */
export const boxAboutPivot = (piece: Piece): Box => copyOf(keptAboutPivot(piece));

const wholes = new WeakMap<Scene, { box: Box | null }>();

/** The box round everything in a level; null when there is nothing. */
export function boxOfAll(scene: Scene): Box | null {
  let whole = wholes.get(scene);
  if (!whole) {
    whole = { box: boxOf(scene, scene.things.keys()) };
    wholes.set(scene, whole);
  }
  return whole.box && copyOf(whole.box);
}

/** The box round things as they stand, from their pieces' boxes, along the world's axes or others; null when they show nothing. */
export function boxOf(scene: Scene, ids: Iterable<string>, axes?: Quaternion): Box | null {
  const low = new Vector3(Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY, Number.POSITIVE_INFINITY);
  const high = low.clone().negate();
  const matrix = new Matrix4();
  const corner = new Vector3();
  const back = axes && new Matrix4().makeRotationFromQuaternion(axes.clone().invert());
  for (const thing of under(scene.things, ids)) {
    for (const p of kindOf(thing).points?.(scene, thing) ?? []) {
      corner.fromArray(p);
      if (back) corner.applyMatrix4(back);
      low.min(corner);
      high.max(corner);
    }
    if (!isShown(thing)) continue;
    const piece = scene.pieces.get(thing.piece);
    if (!piece) continue;
    const own = keptAboutPivot(piece);
    middle.addVectors(own.low, own.high).multiplyScalar(0.5);
    half.subVectors(own.high, own.low).multiplyScalar(0.5);
    for (const entry of entriesOf(scene, thing)) {
      poseMatrix(entry.pose, matrix);
      if (back) matrix.premultiply(back);
      const e = matrix.elements;
      corner.copy(middle).applyMatrix4(matrix);
      // how far a turned box reaches along each axis
      reach.set(
        Math.abs(e[0]) * half.x + Math.abs(e[4]) * half.y + Math.abs(e[8]) * half.z,
        Math.abs(e[1]) * half.x + Math.abs(e[5]) * half.y + Math.abs(e[9]) * half.z,
        Math.abs(e[2]) * half.x + Math.abs(e[6]) * half.y + Math.abs(e[10]) * half.z,
      );
      high.max(far.addVectors(corner, reach));
      low.min(far.subVectors(corner, reach));
    }
  }
  return low.x <= high.x ? { low, high } : null;
}
