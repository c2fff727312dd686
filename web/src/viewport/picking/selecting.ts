import { createStore, useStore } from "zustand";
import { type SelectMode, select } from "../../state/selection";
import type { Press, Spot } from "../modes/mode";
import { inBox, thingUnder } from "./boxSelect";

/** Pixels that the hand may slip in a click. */
export const SLOP = 4;
export const away = (a: Pick<Spot, "x" | "y">, b: Pick<Spot, "x" | "y">): number => Math.hypot(a.x - b.x, a.y - b.y);

interface Box {
  x: number;
  y: number;
  w: number;
  h: number;
}

const boxStore = createStore<{ box: Box | null }>(() => ({ box: null }));

/** The box that is dragged round things, in pixels of the viewport. */
export const useDraggedBox = (): Box | null => useStore(boxStore, (s) => s.box);

const modeOf = ({ shift, ctrl, alt }: Spot): SelectMode => (alt ? "remove" : shift ? "add" : ctrl ? "toggle" : "only");

/** Select what a click means; nothing is let go where `keep` is asked and nothing is there. */
export function clickOn(at: Spot, keep = false): void {
  const mode = modeOf(at);
  const id = thingUnder(at.x, at.y);
  if (id) select([id], mode === "add" ? "toggle" : mode);
  else if (mode === "only" && !keep) select([]);
}

/** A press on what is no handle: a click selects, a drag draws a box. */
export const selectPress = (from: Spot): Press =>
  boxPress(from, clickOn, (at) => select(inBox(from.x, from.y, at.x, at.y), modeOf(at)));

/** A press that is a click, or a drag that draws a box up to where it ends. */
export function boxPress(from: Spot, click: (at: Spot) => void, box: (at: Spot) => void): Press {
  let boxed = false;
  const show = (drawn: Box | null) => boxStore.setState({ box: drawn });
  return {
    move(at) {
      boxed ||= away(at, from) > SLOP;
      if (!boxed) return;
      const [w, h] = [Math.abs(at.x - from.x), Math.abs(at.y - from.y)];
      show({ x: Math.min(at.x, from.x), y: Math.min(at.y, from.y), w, h });
    },
    release(at) {
      show(null);
      if (boxed) box(at);
      else click(at);
    },
    cancel: () => show(null),
  };
}
