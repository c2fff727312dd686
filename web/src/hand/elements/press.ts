import {
  type ElementKind,
  elementStore,
  elementsNow,
  facetsOf,
  type Hovered,
  type How,
  kindOfMode,
  openPiece,
  type PickMode,
  pickBy,
  pickElements,
  pickedNow,
  takeInMore,
} from "../../state/elements";
import { selectionStore } from "../../state/selection";
import { takeStep } from "../../state/steps";
import { viewport } from "../../viewport/controller";
import type { Press, Spot } from "../modes/mode";
import { away, clickOn, SLOP, showDragged } from "../picking/selecting";
import { type Dot, elementsIn, rectangle } from "./inOutline";
import { elementUnder } from "./under";

/** Light up what the next click picks. */
export function hoverElement(x: number, y: number): boolean {
  const at = elementUnder(x, y);
  const before = elementStore.getState().hovered;
  const same = at?.ids[0] === before?.ids[0] && at?.ids.length === before?.ids.length && at?.thing === before?.thing;
  if (!same || at?.item !== before?.item) {
    elementStore.setState({ hovered: at });
    viewport.redraw();
  }
  return at !== null;
}

const MODES: Readonly<Record<string, PickMode>> = { v: "vertex", e: "edge", f: "face", r: "facet" };

/** Keys while a piece is open: what is picked, more, fewer, none, and without them. */
export function elementKey(key: string): boolean {
  if (!openPiece()) return false;
  const mode = MODES[key];
  if (mode) {
    void pickBy(mode);
    viewport.redraw();
    return true;
  }
  const { kind, ids } = pickedNow();
  if (ids.size === 0) return false;
  if (key === "+") void takeInMore("grow");
  else if (key === "backspace") void takeInMore("shrink");
  else if (key === "escape") pickElements(kind, []);
  else if (key === "delete") {
    void takeStep("delete_elements", { elements: elementsNow() }, selectionStore.getState().ids);
  } else return false;
  return true;
}

/** Two clicks on one element within so many milliseconds go along, and a third one takes in all that is connected. */
const TWICE = 350;
let last = { id: -1, when: 0, times: 0 };

/** The picks after some elements are added, taken away or turned round by the keys that are held. */
function picked(kind: ElementKind, ids: readonly number[], { shift, alt, ctrl }: Spot): Set<number> {
  const before = pickedNow();
  const now = new Set((shift || alt || ctrl) && before.kind === kind ? before.ids : []);
  const all = ctrl && ids.every((id) => now.has(id));
  for (const id of ids) {
    if (alt || all) now.delete(id);
    else now.add(id);
  }
  return now;
}

const ALONG: Readonly<Record<PickMode, How>> = {
  vertex: "connected",
  edge: "loop",
  face: "same plane",
  facet: "connected",
};

/** A click on an element of the open piece picks it, with Shift beside others, with Alt no more, with Ctrl the other way
 * round. */
export function clickElement(under: Hovered, at: Spot): void {
  const { mode } = elementStore.getState();
  const kind = kindOfMode(mode);
  const [id = -1] = under.ids;
  const plain = !at.shift && !at.alt && !at.ctrl;
  const soon = plain && last.id === id && performance.now() - last.when < TWICE && pickedNow().ids.has(id);
  last = { id, when: performance.now(), times: soon ? last.times + 1 : 0 };
  if (under.thing) elementStore.setState({ at: { thing: under.thing, item: under.item } });
  if (last.times === 1) void takeInMore(ALONG[mode]);
  else if (last.times > 1) void takeInMore("connected");
  else {
    pickElements(kind, picked(kind, under.ids, at));
    // which faces a facet has may not be known yet
    const piece = openPiece();
    if (mode === "facet" && piece && !at.alt && facetsOf(piece) === null) void takeInMore("same facet");
  }
}

/** A press on an element of the open piece: a click picks it; a drag draws a box, or with Q a free outline, round
 * elements. */
export const elementPress = (under: Hovered, from: Spot): Press => outlinePress(from, (at) => clickElement(under, at));

/** A press beside the open piece: a drag draws a box round its elements, a click is for what stands there. */
export const besidePress = (from: Spot): Press => outlinePress(from, clickOn);

/** Whether the outline that is dragged follows the hand. */
let free = false;
let dragging = false;

/** Q while an outline is dragged: a box becomes a free outline, and back. */
export function outlineKey(key: string): boolean {
  if (!dragging || key !== "q") return false;
  free = !free;
  return true;
}

function outlinePress(from: Spot, click: (at: Spot) => void): Press {
  const way: Dot[] = [{ x: from.x, y: from.y }];
  free = false;
  return {
    move(at) {
      dragging ||= away(at, from) > SLOP;
      if (!dragging) return;
      way.push({ x: at.x, y: at.y });
      showDragged(free ? way : rectangle(from, at));
    },
    release(at) {
      showDragged(null);
      const drawn = dragging;
      dragging = false;
      if (!drawn) return click(at);
      const kind = kindOfMode(elementStore.getState().mode);
      const found = elementsIn(free ? way : rectangle(from, at));
      pickElements(kind, picked(kind, found, { ...at, ctrl: false }));
    },
    cancel() {
      dragging = false;
      showDragged(null);
    },
  };
}
