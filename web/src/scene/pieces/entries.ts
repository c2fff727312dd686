import { Matrix4, Quaternion, Vector3 } from "three";
import type { Piece, Run, Thing } from "../../api/types";
import { kindOf } from "../../state/kinds";
import { isShown, type Scene } from "../../state/level";
import { isHidden, under } from "../../state/tree";

/**
 * One item that is drawn: which thing it belongs to, its number there, and its pose (position, turn, size). Where several
 * items are one mesh, `together` says which, and after how many faces each ends.
 */
export interface Entry {
  thing: string;
  item: number;
  pose: readonly number[];
  together?: { ends: readonly number[]; numbers: readonly number[] };
}

/** The name under which a piece is drawn that stands nowhere and is open from the shelf; its pivot at the origin. */
export const SHEET = "sheet";
export const onSheet: readonly Entry[] = [{ thing: SHEET, item: 0, pose: [0, 0, 0, 0, 0, 0, 1, 1, 1, 1] }];

/** The item of an entry that a face of its mesh belongs to, and which face of that it is. */
export function itemOf({ item, together }: Entry, face: number): { item: number; face: number } {
  if (!together) return { item, face };
  const { ends, numbers } = together;
  let k = 0;
  for (let step = 2 ** Math.floor(Math.log2(Math.max(ends.length, 1))); step >= 1; step /= 2) {
    if (k + step <= ends.length && (ends[k + step - 1] ?? 0) <= face) k += step;
  }
  return { item: item + (numbers[k] ?? 0), face: face - (ends[k - 1] ?? 0) };
}

const cached = new WeakMap<Run, Entry[]>();

function entriesOf(thing: string, run: Run): readonly Entry[] {
  let entries = cached.get(run);
  if (!entries) {
    const { numbers, faces, count } = run;
    let end = 0;
    const ends = faces.map((n) => {
      end += n;
      return end;
    });
    entries = run.rows.map((pose, k) =>
      ends.length
        ? { thing, item: k * count, pose, together: { ends, numbers } }
        : { thing, item: numbers[k] ?? 0, pose },
    );
    cached.set(run, entries);
  }
  return entries;
}

const NONE: readonly Run[] = [];

/** What is drawn of a thing. */
export const runsOf = (scene: Scene, thing: Thing): readonly Run[] => kindOf(thing).runs?.(scene, thing) ?? NONE;

const looks = new WeakMap<Run, { of: Piece; piece: Piece }>();

/** A piece as a run of it is drawn: where that is not by its own mesh, another mesh takes its place, without a pivot. */
export function pieceOf(scene: Scene, run: Run): Piece | undefined {
  const own = scene.pieces.get(run.piece);
  if (!own || run.mesh === null) return own;
  const before = looks.get(run);
  if (before?.of === own) return before.piece;
  const { low, high } = run;
  const facts = low && high ? { ...own.facts, low, high } : own.facts;
  const piece: Piece = { ...own, mesh: run.mesh, pivot: [0, 0, 0], axes: [0, 0, 0, 1], facts };
  looks.set(run, { of: own, piece });
  return piece;
}

/** Whether a thing is drawn: neither hidden nor left out while others are isolated. */
export const isDrawn = (scene: Scene, thing: Thing, isolated: ReadonlySet<string> | null): boolean =>
  !isHidden(scene.things, thing.id) && (isolated === null || isolated.has(thing.id));

/** The name of a look: a piece's own by its id, and each other one by its thing and number. */
const nameOf = (thing: string, run: Run, k: number): string =>
  run.mesh === null ? run.piece : `${run.piece}/${thing}/${k}`;

/** The piece of a look, as it is drawn. */
export function seenPiece(scene: Scene, look: string): Piece | undefined {
  const [piece = "", id, k] = look.split("/");
  if (id === undefined) return scene.pieces.get(piece);
  const thing = scene.things.get(id);
  const run = thing && runsOf(scene, thing)[Number(k)];
  return run && pieceOf(scene, run);
}

/** What is drawn of each look; lists that did not change are those of `before`. */
export function entriesByLook(
  scene: Scene,
  before: ReadonlyMap<string, readonly Entry[]>,
  isolated: ReadonlySet<string> | null = null,
): Map<string, readonly Entry[]> {
  const found = new Map<string, Entry[]>();
  for (const thing of scene.things.values()) {
    if (!isShown(thing) || !isDrawn(scene, thing, isolated)) continue;
    for (const [k, run] of runsOf(scene, thing).entries()) {
      const name = nameOf(thing.id, run, k);
      const list = found.get(name);
      const more = entriesOf(thing.id, run);
      if (list) for (const entry of more) list.push(entry);
      else found.set(name, [...more]);
    }
  }
  const out = new Map<string, readonly Entry[]>();
  for (const [look, list] of found) {
    const old = before.get(look);
    out.set(look, old && old.length === list.length && old.every((e, k) => e === list[k]) ? old : list);
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

/** Where the items of things stand that show a piece by its own mesh: matrices of the world. */
export function itemsOf(scene: Scene, ids: Iterable<string>, piece: string): Matrix4[] {
  const row = scene.pieces.get(piece);
  if (!row) return [];
  return under(scene.things, ids).flatMap((thing) => {
    const runs = runsOf(scene, thing).filter((run) => run.piece === piece && run.mesh === null);
    return runs.flatMap((run) => run.rows.map((pose) => itemMatrix(pose, row, new Matrix4())));
  });
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
    for (const run of runsOf(scene, thing)) {
      const piece = pieceOf(scene, run);
      if (!piece) continue;
      const own = keptAboutPivot(piece);
      middle.addVectors(own.low, own.high).multiplyScalar(0.5);
      half.subVectors(own.high, own.low).multiplyScalar(0.5);
      for (const pose of run.rows) {
        poseMatrix(pose, matrix);
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
  }
  return low.x <= high.x ? { low, high } : null;
}
