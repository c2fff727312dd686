import { createStore, useStore } from "zustand";
import type { FaceAt } from "../api/client";
import type { Feature, Fits, Measured, PathPoint, ShapeInfo, ShapeValues, Vector } from "../api/types";
import type { Frame } from "../viewport/frame";
import type { Found, Spot } from "../viewport/gestures";

/** A shape in the middle of being drawn: which stage sets what, on which plane, and what it has found so far. */
export interface DrawRun {
  kind: "draw";
  info: ShapeInfo;
  shape: ShapeValues;
  surface: string;
  stage: number;
  frame: Frame;
  on: FaceAt | null;
  from: Spot | null;
  base: Spot;
  found: Found | null;
  hover: Vector | null;
}

/** A dock between its picks: what moves (nothing yet: what is gripped), its grip once it is picked, and what is pointed at. */
export interface DockRun {
  kind: "dock";
  selection: readonly string[];
  grip: Feature | null;
  feature: Feature | null;
  point: Vector | null;
  /** Face against face; null leaves it to the picks: a face onto a face lies flat. */
  contact: boolean | null;
  align: boolean;
  quarters: number;
}

/** Measuring: what has been picked, what is pointed at, and what came of it. */
export interface MeasureRun {
  kind: "measure";
  picked: readonly Feature[];
  feature: Feature | null;
  found: Measured | null;
  fits: Fits | null;
}

/** What the viewport is in the middle of, apart from looking and selecting. */
export type Running =
  | { kind: "place"; piece: string; at: Vector | null; carried: boolean }
  | { kind: "path"; points: PathPoint[]; hover: Vector | null; height: number | null }
  | DrawRun
  | DockRun
  | MeasureRun
  | {
      kind: "pick";
      piece: string | null;
      feature: Feature | null;
      done: (feature: Feature) => void;
      words?: string;
      card?: boolean;
    }
  | { kind: "drag"; words: string; value: string; unit: string };

interface RunningState {
  now: Running | null;
  /** What has been typed over the measure in the prompt. */
  typed: string;
  /** Whether picks take the pivot of what is pointed at. */
  pivots: boolean;
  /** The tool whose card is open in the Tools panel. */
  card: string | null;
  /** Where the pointer is, for the prompt, in page pixels. */
  pointer: { x: number; y: number };
}

export const runningStore = createStore<RunningState>(() => ({
  now: null,
  typed: "",
  pivots: false,
  card: null,
  pointer: { x: 0, y: 0 },
}));

export const useRunning = <T>(choose: (state: RunningState) => T): T => useStore(runningStore, choose);

export const run = (now: Running | null): void => runningStore.setState({ now, typed: "", pivots: false });
export const updateRun = (now: Running): void => runningStore.setState({ now });
export const setTyped = (typed: string): void => runningStore.setState({ typed });
export const openCard = (card: string | null): void => runningStore.setState({ card });

/** Start placing a piece; `carried` while it is dragged from the shelf. */
export const startPlacing = (piece: string, carried = false): void => run({ kind: "place", piece, at: null, carried });
export const startPath = (): void => run({ kind: "path", points: [], hover: null, height: null });
