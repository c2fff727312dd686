import { Matrix4, Vector3 } from "three";
import { openPiece } from "../../state/elements";
import { levelStore, shown } from "../../state/level";
import { selectionStore } from "../../state/selection";
import { viewStore } from "../../state/view";
import { viewport } from "../controller";
import { itemsOf } from "../pieces/entries";
import { meshOf } from "../pieces/meshes";

/** Items and faces that are looked at. */
const MOST_ITEMS = 50;
const MOST_SEEN = 4000;

/** Faces of the open piece that lie whole within a rectangle of the viewport, on any item that is open; with *Front
 * only* those of them that nothing hides. */
export function facesInBox(x0: number, y0: number, x1: number, y1: number): number[] {
  const piece = openPiece();
  const mesh = piece && meshOf(piece.mesh);
  if (!piece || !mesh) return [];
  const scene = shown(levelStore.getState());
  const { ids } = selectionStore.getState();
  const where = ids[0] === piece.id ? [...scene.things.keys()] : ids;
  const [left, right, top, bottom] = [Math.min(x0, x1), Math.max(x0, x1), Math.min(y0, y1), Math.max(y0, y1)];
  const inside = (x: number, y: number) => x >= left && x <= right && y >= top && y <= bottom;
  const { camera, width, height } = viewport;
  const view = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
  const found = new Set<number>();
  const point = new Vector3();
  for (const item of itemsOf(scene, where, piece.id).slice(0, MOST_ITEMS)) {
    const all = new Matrix4().multiplyMatrices(view, item);
    const out = new Set<number>();
    const middles = new Map<number, Vector3>();
    for (const { geometry, faces } of mesh.slots) {
      const places = geometry.getAttribute("position");
      const within = new Uint8Array(places.count);
      for (let v = 0; v < places.count; v++) {
        point.fromBufferAttribute(places, v).applyMatrix4(all);
        const ahead = point.z > -1 && point.z < 1;
        within[v] = ahead && inside(((point.x + 1) / 2) * width, ((1 - point.y) / 2) * height) ? 1 : 0;
      }
      for (let t = 0; t < faces.length; t++) {
        const face = faces[t] ?? -1;
        const [a, b, c] = [0, 1, 2].map((k) => geometry.index?.getX(3 * t + k) ?? 3 * t + k) as [
          number,
          number,
          number,
        ];
        if (!within[a] || !within[b] || !within[c]) out.add(face);
        else if (!middles.has(face)) {
          const middle = new Vector3().fromBufferAttribute(places, a);
          for (const v of [b, c]) middle.add(point.fromBufferAttribute(places, v));
          middles.set(face, middle.divideScalar(3).applyMatrix4(item));
        }
      }
    }
    for (const [face, middle] of middles) {
      if (out.has(face) || found.has(face)) continue;
      if (viewStore.getState().through || (found.size < MOST_SEEN && isSeen(middle, face))) found.add(face);
    }
  }
  return [...found];
}

/** Whether nothing stands before a place of a face. */
function isSeen(middle: Vector3, face: number): boolean {
  const at = viewport.seen(middle);
  return at !== null && viewport.pick(at.x, at.y)?.face === face;
}
