import type { Matrix4 } from "three";
import { createStore, useStore } from "zustand";

/** A move of whole things that is shown while it is dragged, before it becomes a step. */
export interface Dragged {
  ids: ReadonlySet<string>;
  matrix: Matrix4;
}

export const dragStore = createStore<{ now: Dragged | null; handle: string | null }>(() => ({
  now: null,
  handle: null,
}));
export const useDrag = <T>(choose: (s: { now: Dragged | null; handle: string | null }) => T): T =>
  useStore(dragStore, choose);
