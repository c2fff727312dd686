import { Matrix4 } from "three";
import type { Piece } from "../../api/types";
import { elementStore, openPiece, showsOpen } from "../../state/elements";
import { levelStore, shown } from "../../state/level";
import { selectionStore } from "../../state/selection";
import { viewport } from "../../viewport/controller";
import { itemMatrix, itemsOf, onSheet, SHEET } from "../pieces/entries";
import { meshOf, type ViewMesh } from "../pieces/meshes";

/** Items on which the open piece is looked at, at most. */
const MOST_ITEMS = 60;

/** What is open, with the mesh that is drawn of it now. */
export interface Open {
  piece: Piece;
  mesh: ViewMesh;
}

/** The open piece and its mesh; null where none is open, or its mesh is still to come. */
export function openNow(): Open | null {
  const piece = openPiece();
  const now = piece && shown(levelStore.getState()).pieces.get(piece.id);
  const mesh = now && meshOf(now.mesh);
  return piece && mesh ? { piece, mesh } : null;
}

/** Whether the open piece is open from the shelf, so that it is picked from wherever it stands. */
export const fromShelf = (): boolean => selectionStore.getState().ids[0] === openPiece()?.id;

/** Where the items of the open piece stand on which it is picked from. */
export function openItems(): Matrix4[] {
  const piece = openPiece();
  if (!piece) return [];
  const scene = shown(levelStore.getState());
  const where = fromShelf() ? [...scene.things.keys()] : selectionStore.getState().ids;
  const items = itemsOf(scene, where, piece.id).slice(0, MOST_ITEMS);
  const [lone] = onSheet;
  return items.length || !fromShelf() || !lone ? items : [itemMatrix(lone.pose, piece, new Matrix4())];
}

/** The item of the open piece under a place of the viewport, and the face there. */
export function itemUnder(x: number, y: number): { thing: string; item: number; face: number; far: number } | null {
  if (!openPiece()) return null;
  // what stands back is seen through
  const hit = viewport.pick(x, y, showsOpen);
  if (!hit) return null;
  if (!fromShelf() && hit.thing !== selectionStore.getState().ids[0]) return null;
  return { thing: hit.thing, item: hit.item, face: hit.face, far: hit.distance };
}

/** The matrix of one item of the open piece. */
export function matrixOf(at: { thing: string; item: number }): Matrix4 | null {
  const piece = openPiece();
  if (!piece) return null;
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
