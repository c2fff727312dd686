import { createStore, useStore } from "zustand";

export type ElementAxes = "piece" | "world" | "face";
export type ElementPivot = "middle" | "each" | "pivot";
export type KeepTo = "free" | "edges" | "surface" | "normal";

/** How the handles hold what is picked of a piece. */
export interface ElementHold {
  axes: ElementAxes;
  pivot: ElementPivot;
  keepTo: KeepTo;
  /** Metres within which neighbours go along. */
  radius: number;
}

export const elementHold = createStore<ElementHold>(() => ({
  axes: "piece",
  pivot: "middle",
  keepTo: "free",
  radius: 0,
}));
export const useElementHold = <T>(choose: (state: ElementHold) => T): T => useStore(elementHold, choose);
