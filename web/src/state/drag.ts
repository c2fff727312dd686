import type { Matrix4 } from "three";
import { createStore, useStore } from "zustand";
import type { Feature, Vector } from "../api/types";

/** A move of whole things that is shown while it is dragged, before it becomes a step. */
export interface Dragged {
  /** The matrix of each thing that moves. */
  of: ReadonlyMap<string, Matrix4>;
  /** The matrix of the handles. */
  place: Matrix4;
}

/** What a drag has caught: the kind of feature, and where it is. */
export interface Caught {
  kind: Feature["kind"] | "path point";
  point: Vector;
}

interface DragState {
  now: Dragged | null;
  /** The handle that is held, and the one that the pointer is over. */
  handle: string | null;
  over: string | null;
  caught: Caught | null;
}

export const dragStore = createStore<DragState>(() => ({ now: null, handle: null, over: null, caught: null }));
export const useDrag = <T>(choose: (s: DragState) => T): T => useStore(dragStore, choose);

/** By which matrix of the world picked elements are dragged now. */
export const elementDrag = createStore<{ world: Matrix4 | null }>(() => ({ world: null }));
