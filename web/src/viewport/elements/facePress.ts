import {
  elementStore,
  elementsNow,
  openPiece,
  pickedFaces,
  pickFaces,
  showsOpen,
  takeInMore,
} from "../../state/elements";
import { levelStore } from "../../state/level";
import { selectionStore } from "../../state/selection";
import { takeStep } from "../../state/steps";
import { viewport } from "../controller";
import type { Press, Spot } from "../modes/mode";
import { boxPress, clickOn } from "../picking/selecting";
import { facesInBox } from "./facesInBox";

/** The face of the open piece under a place of the viewport, and on which item it is. */
export function faceUnder(x: number, y: number): { thing: string; item: number; face: number } | null {
  if (!openPiece()) return null;
  const hit = viewport.pick(x, y);
  const [open] = selectionStore.getState().ids;
  if (!hit || !showsOpen(hit.thing)) return null;
  // of what is selected, or, where the piece is open from the shelf, of anything that shows it
  const shelf = levelStore.getState().scene.pieces.has(open ?? "");
  if (!shelf && hit.thing !== open) return null;
  return { thing: hit.thing, item: hit.item, face: hit.face };
}

/** Light up what the next click picks. */
export function hoverFace(x: number, y: number): boolean {
  const at = faceUnder(x, y);
  const before = elementStore.getState().hovered;
  if (at?.face !== before?.face || at?.thing !== before?.thing || at?.item !== before?.item) {
    elementStore.setState({ hovered: at });
    viewport.redraw();
  }
  return at !== null;
}

/** Keys while faces are picked: more, fewer, none, and without them. */
export function elementKey(key: string): boolean {
  if (pickedFaces().size === 0) return false;
  if (key === "+") void takeInMore("grow");
  else if (key === "backspace") void takeInMore("shrink");
  else if (key === "escape") pickFaces([]);
  else if (key === "delete") {
    void takeStep("delete_faces", { elements: elementsNow() }, selectionStore.getState().ids);
  } else return false;
  return true;
}

/** Two clicks on one face within so many milliseconds go along its plane. */
const TWICE = 350;
let last = { face: -1, when: 0 };

/** The picks after some faces are added, taken away or turned round by the keys that are held. */
function picked(faces: readonly number[], { shift, alt, ctrl }: Spot): Set<number> {
  const now = new Set(shift || alt || ctrl ? pickedFaces() : []);
  for (const face of faces) {
    if (alt || (ctrl && now.has(face))) now.delete(face);
    else now.add(face);
  }
  return now;
}

/** A press on a face of the open piece: a click picks it, with Shift beside others, with Alt no more, with Ctrl the
 * other way round; a drag draws a box round faces. */
export function facePress(face: number, from: Spot): Press {
  const click = (at: Spot) => {
    const plain = !at.shift && !at.alt && !at.ctrl;
    const again = plain && last.face === face && performance.now() - last.when < TWICE && pickedFaces().has(face);
    last = { face, when: performance.now() };
    if (again) void takeInMore("same plane");
    else pickFaces(picked([face], at));
  };
  return boxPress(from, click, (at) => pickFaces(picked(facesInBox(from.x, from.y, at.x, at.y), at)));
}

/** A press beside the open piece: a drag draws a box round its faces, a click is for what stands there. */
export const besidePress = (from: Spot): Press =>
  boxPress(from, clickOn, (at) => pickFaces(picked(facesInBox(from.x, from.y, at.x, at.y), at)));
