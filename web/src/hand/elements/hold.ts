import { Matrix3, Matrix4, Quaternion, Vector3 } from "three";
import type { Piece, Vector } from "../../api/types";
import { type Cage, cageOf, verticesOf } from "../../scene/elements/cage";
import { heldMatrix, openNow } from "../../scene/elements/open";
import { elementHold } from "../../state/elementHold";
import { type ElementKind, openPiece, pickedNow } from "../../state/elements";

/** What the handles hold in Shape: picked elements on one item of the open piece. */
export interface HeldElements {
  piece: Piece;
  cage: Cage;
  kind: ElementKind;
  ids: ReadonlySet<number>;
  vertices: number[];
  /** From the mesh to the world. */
  item: Matrix4;
  /** Their middle, and where they look on the mean, in the world. */
  middle: Vector3;
  normal: Vector3 | null;
}

let kept: { ids: ReadonlySet<number>; cage: Cage; vertices: number[]; middle: Vector3; normal: Vector3 | null } | null =
  null;

/** What is picked, as the handles hold it; null where nothing is, or where it stands nowhere. */
export function heldElements(): HeldElements | null {
  const open = openNow();
  const { kind, ids } = pickedNow();
  if (!open || ids.size === 0) return null;
  const item = heldMatrix();
  if (!item) return null;
  const cage = cageOf(open.mesh);
  if (kept?.ids !== ids || kept.cage !== cage) {
    const vertices = verticesOf(cage, kind, ids);
    const middle = new Vector3();
    for (const v of vertices) middle.add(new Vector3().fromArray(cage.places, 3 * v));
    middle.divideScalar(Math.max(1, vertices.length));
    kept = { ids, cage, vertices, middle, normal: meanNormal(cage, kind, ids, vertices) };
  }
  const { vertices, middle, normal } = kept;
  const turned = normal?.clone().applyNormalMatrix(new Matrix3().getNormalMatrix(item)) ?? null;
  return {
    piece: open.piece,
    cage,
    kind,
    ids,
    vertices,
    item,
    middle: middle.clone().applyMatrix4(item),
    normal: turned,
  };
}

/** Where picked faces look on the mean, or the faces at what is picked; null where that comes to nothing. */
function meanNormal(cage: Cage, kind: ElementKind, ids: ReadonlySet<number>, vertices: number[]): Vector3 | null {
  const at = new Set(vertices);
  const sum = new Vector3();
  const [a, b, c] = [new Vector3(), new Vector3(), new Vector3()];
  let size = 0;
  for (let t = 0; t < cage.faces.length; t++) {
    const corners = [0, 1, 2].map((k) => cage.triangles[3 * t + k] as number);
    const mine = kind === "face" ? ids.has(cage.faces[t] as number) : corners.some((v) => at.has(v));
    if (!mine) continue;
    a.fromArray(cage.places, 3 * (corners[0] as number));
    b.fromArray(cage.places, 3 * (corners[1] as number)).sub(a);
    c.fromArray(cage.places, 3 * (corners[2] as number)).sub(a);
    const area = b.cross(c);
    size += area.length();
    sum.add(area);
  }
  return sum.length() > 1e-6 * size ? sum.normalize() : null;
}

/** Where the handles stand in Shape. */
export function elementPlace(): Vector3 | null {
  const held = heldElements();
  if (!held) return null;
  if (elementHold.getState().pivot === "pivot") {
    return new Vector3(...(held.piece.pivot ?? [0, 0, 0])).applyMatrix4(held.item);
  }
  return held.middle;
}

/** The turn of the axes of a piece's pivot in the world, on an item. */
function pivotTurn(piece: Piece, item: Matrix4): Quaternion {
  const turn = new Quaternion();
  item.decompose(new Vector3(), turn, new Vector3());
  return turn.multiply(new Quaternion(...(piece.axes ?? [0, 0, 0, 1])));
}

/** The axes of the handles in Shape. */
export function elementAxes(): Quaternion {
  const held = heldElements();
  const { axes } = elementHold.getState();
  if (!held || axes === "world") return new Quaternion();
  if (axes === "piece" || !held.normal) return pivotTurn(held.piece, held.item);
  // Z looks out, X along the longest edge of what is picked
  const z = held.normal.clone();
  const x = longest(held).projectOnPlane(z);
  if (x.lengthSq() < 1e-12) x.set(1, 0, 0).projectOnPlane(z);
  if (x.lengthSq() < 1e-12) x.set(0, 1, 0).projectOnPlane(z);
  x.normalize();
  return new Quaternion().setFromRotationMatrix(new Matrix4().makeBasis(x, z.clone().cross(x), z));
}

/** The longest edge of what is picked, in the world. */
function longest({ cage, vertices, item }: HeldElements): Vector3 {
  const at = new Set(vertices);
  const best = new Vector3();
  const a = new Vector3();
  const b = new Vector3();
  for (let e = 0; e < cage.ends.length / 2; e++) {
    const [p, q] = [cage.ends[2 * e] as number, cage.ends[2 * e + 1] as number];
    if (!at.has(p) || !at.has(q)) continue;
    a.fromArray(cage.places, 3 * p).applyMatrix4(item);
    b.fromArray(cage.places, 3 * q)
      .applyMatrix4(item)
      .sub(a);
    if (b.lengthSq() > best.lengthSq()) best.copy(b);
  }
  return best;
}

/** A direction of the world in the axes of the piece's pivot, for an item. */
export function inPivotAxes(world: Vector3, { piece, item }: HeldElements): Vector {
  const back = new Matrix3().setFromMatrix4(item).invert();
  const [i, j, k, w] = piece.axes ?? [0, 0, 0, 1];
  return world
    .clone()
    .applyMatrix3(back)
    .applyQuaternion(new Quaternion(-i, -j, -k, w))
    .toArray();
}

/** A place of the world seen from the piece's pivot, in its axes. */
export function fromPivot(world: Vector3, held: HeldElements): Vector {
  const pivot = new Vector3(...(held.piece.pivot ?? [0, 0, 0])).applyMatrix4(held.item);
  return inPivotAxes(world.clone().sub(pivot), held);
}

/** Whether handles can be had in Shape. */
export const holdsElements = (): boolean => openPiece() !== null && pickedNow().ids.size > 0;
