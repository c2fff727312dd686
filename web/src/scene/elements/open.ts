import { Matrix4, Mesh, Raycaster } from "three";
import type { Piece } from "../../api/types";
import { elementStore, openPiece, showsOpen } from "../../state/elements";
import { levelStore, shown } from "../../state/level";
import { selectionStore } from "../../state/selection";
import { finishOf, sourceOf } from "../../state/source";
import { under } from "../../state/tree";
import { viewport } from "../../viewport/controller";
import { itemMatrix, itemsOf, onSheet, SHEET } from "../pieces/entries";
import { meshOf, type ViewMesh } from "../pieces/meshes";
import { imageOf } from "./imageOf";

/** Items on which the open piece is looked at, at most. */
const MOST_ITEMS = 60;

/** What is open, with the mesh of it that is edited. */
export interface Open {
  piece: Piece;
  mesh: ViewMesh;
}

/** The open piece and the mesh of it that is edited; null where none is open, or its mesh is still to come. */
export function openNow(): Open | null {
  const piece = openPiece();
  const now = piece && shown(levelStore.getState()).pieces.get(piece.id);
  const mesh = now && meshOf(sourceOf(now));
  return piece && mesh ? { piece, mesh } : null;
}

/** Whether the open piece is open from the shelf, so that it is picked from wherever it stands. */
export const fromShelf = (): boolean => selectionStore.getState().ids[0] === openPiece()?.id;

/** An item of the open piece from which it is picked, or the other half of one that is mirrored live. */
interface Place {
  thing: string;
  item: number;
  matrix: Matrix4;
}

/** The items of the open piece from which it is picked, and after them their other halves. */
function openPlaces(): Place[] {
  const piece = openPiece();
  if (!piece) return [];
  const scene = shown(levelStore.getState());
  const where = fromShelf() ? [...scene.things.keys()] : selectionStore.getState().ids;
  const places: Place[] = [];
  for (const { id: thing } of under(scene.things, where)) {
    if (places.length >= MOST_ITEMS) break;
    const items = itemsOf(scene, [thing], piece.id).slice(0, MOST_ITEMS - places.length);
    for (const [item, matrix] of items.entries()) places.push({ thing, item, matrix });
  }
  const [lone] = onSheet;
  if (!places.length && fromShelf() && lone) {
    places.push({ thing: SHEET, item: 0, matrix: itemMatrix(lone.pose, piece, new Matrix4()) });
  }
  const mirror = finishOf(piece)?.mirror;
  if (!mirror) return places;
  const image = imageOf(mirror);
  return [...places, ...places.map((p) => ({ ...p, matrix: new Matrix4().multiplyMatrices(p.matrix, image) }))];
}

/** Where the items of the open piece stand on which it is picked from; after them their other halves. */
export const openItems = (): Matrix4[] => openPlaces().map(({ matrix }) => matrix);

/** What of the open piece is under a place of the viewport: the item and where it stands, and the face that is edited. */
export interface Under {
  thing: string;
  item: number;
  matrix: Matrix4 | null;
  face: number;
  far: number;
}

const caster = new Raycaster();
caster.firstHitOnly = true;

/** The same of a piece that is shown otherwise than it is edited: by a ray against what is edited. */
function underSource(x: number, y: number): Under | null {
  const open = openNow();
  if (!open) return null;
  caster.ray.copy(viewport.ray(x, y));
  let best: Under | null = null;
  for (const { thing, item, matrix } of openPlaces()) {
    for (const { geometry, faces } of open.mesh.slots) {
      const mesh = new Mesh(geometry);
      mesh.matrixWorld.copy(matrix);
      const [hit] = caster.intersectObject(mesh, false);
      if (!hit || (best && hit.distance >= best.far)) continue;
      best = { thing, item, matrix, face: faces[hit.faceIndex ?? 0] ?? 0, far: hit.distance };
    }
  }
  return best;
}

/** The nearest of the open piece under a place of the viewport, whatever else is before it. */
export function nearestUnder(x: number, y: number): Under | null {
  const piece = openPiece();
  if (!piece) return null;
  if (finishOf(piece)) return underSource(x, y);
  // what stands back is seen through
  const hit = viewport.pick(x, y, showsOpen);
  return hit && { thing: hit.thing, item: hit.item, matrix: null, face: hit.face, far: hit.distance };
}

/** The item of the open piece under a place of the viewport, and the face there. */
export function itemUnder(x: number, y: number): Under | null {
  const hit = nearestUnder(x, y);
  if (!hit) return null;
  return !fromShelf() && hit.thing !== selectionStore.getState().ids[0] ? null : hit;
}

/** The matrix of one item of the open piece. */
export function matrixOf(at: { thing: string; item: number; matrix?: Matrix4 | null }): Matrix4 | null {
  const piece = openPiece();
  if (!piece) return null;
  if (at.matrix) return at.matrix;
  if (at.thing === SHEET) return openItems()[0] ?? null;
  const items = itemsOf(shown(levelStore.getState()), [at.thing], piece.id);
  return items[at.item] ?? items[0] ?? null;
}

/** The matrix of the item where the hand is: the one that was picked on last, else the first. */
export function heldMatrix(): Matrix4 | null {
  const { at } = elementStore.getState();
  return (at && showsOpen(at.thing) ? matrixOf(at) : null) ?? openItems()[0]?.clone() ?? null;
}

/** From a mesh's own coordinates to those of the view, −1 … 1. */
export const toView = (item: Matrix4): Matrix4 =>
  new Matrix4().multiplyMatrices(viewport.camera.projectionMatrix, viewport.camera.matrixWorldInverse).multiply(item);
