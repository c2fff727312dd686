import { createStore, useStore } from "zustand";
import { type SelectMode, select } from "../../state/selection";
import type { Press, Spot } from "../modes/mode";
import { inBox, thingUnder } from "./boxSelect";

/** Pixels that the hand may slip in a click. */
export const SLOP = 4;
export const away = (a: Pick<Spot, "x" | "y">, b: Pick<Spot, "x" | "y">): number => Math.hypot(a.x - b.x, a.y - b.y);

type Outline = readonly { x: number; y: number }[];

const outlineStore = createStore<{ outline: Outline | null }>(() => ({ outline: null }));

/** The outline that is dragged round things, in pixels of the viewport. */
export const useDraggedOutline = (): Outline | null => useStore(outlineStore, (s) => s.outline);
export const showDragged = (outline: Outline | null): void =>
  outlineStore.setState({ outline: outline && [...outline] });

const modeOf = ({ shift, ctrl, alt }: Spot): SelectMode => (alt ? "remove" : shift ? "add" : ctrl ? "toggle" : "only");

/** Select what a click means; nothing is let go where `keep` is asked and nothing is there. */
export function clickOn(at: Spot, keep = false): void {
  const mode = modeOf(at);
  const id = thingUnder(at.x, at.y);
  if (id) select([id], mode === "add" ? "toggle" : mode);
  else if (mode === "only" && !keep) select([]);
}

/** A press on what is no handle: a click selects, a drag draws a box. */
export function selectPress(from: Spot): Press {
  let boxed = false;
  return {
    move(at) {
      boxed ||= away(at, from) > SLOP;
      if (boxed) showDragged([from, { x: at.x, y: from.y }, at, { x: from.x, y: at.y }]);
    },
    release(at) {
      showDragged(null);
      if (boxed) select(inBox(from.x, from.y, at.x, at.y), modeOf(at));
      else clickOn(at);
    },
    cancel: () => showDragged(null),
  };
}
