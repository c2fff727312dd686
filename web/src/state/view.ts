import { createStore, useStore } from "zustand";
import type { Rules, Vector } from "../api/types";

export type ViewMode = "free" | "plan" | "front" | "side" | "eye";
export type DrawMode = "solid" | "edges" | "mesh" | "glass";
export type Stage = "kit" | "build" | "shape" | "slim" | "ship";

/** A player: how tall and how wide, where the eyes are, and how high a step is taken without a jump, metres; and how much
 * is seen from top to bottom, degrees. */
export type Body = Rules["body"];

/** Where the eye is: it looks at `target` from `distance` metres; yaw and pitch in radians. In the view Eye `target` is
 * the eye itself. */
export interface ViewState {
  mode: ViewMode;
  draw: DrawMode;
  stage: Stage;
  target: Vector;
  yaw: number;
  pitch: number;
  distance: number;
  /** The things that alone are drawn; null when all are. */
  isolated: ReadonlySet<string> | null;
  /** The group whose inside is worked on; null for the whole level. */
  inside: string | null;
  /** Whether a box selects what is hidden behind other things, too. */
  through: boolean;
  /** Whether what is worth a look is marked on the piece that is open. */
  check: boolean;
  body: Body;
}

export const FIELD_OF_VIEW = 40;

/** Whether things look smaller from afar. */
export const inPerspective = (mode: ViewMode): boolean => mode === "free" || mode === "eye";

/** What is seen from top to bottom, degrees. */
export const fieldOf = (view: Pick<ViewState, "mode" | "body">): number =>
  view.mode === "eye" ? view.body.fov : FIELD_OF_VIEW;

export const viewStore = createStore<ViewState>(() => ({
  mode: "free",
  draw: "edges",
  stage: "build",
  target: [0, 0, 0],
  yaw: 0.6,
  pitch: 0.5,
  distance: 30,
  isolated: null,
  inside: null,
  through: true,
  check: false,
  // the server says how a player begins
  body: { height: 1, radius: 0.1, eye: 0.9, fov: 60, step: 0 },
}));

export const useView = <T>(choose: (state: ViewState) => T): T => useStore(viewStore, choose);
export const setView = (part: Partial<ViewState>): void => viewStore.setState(part);

/** Look from an eye to a target. */
export function lookFrom(eye: Vector, target: Vector): void {
  const [x, y, z] = [eye[0] - target[0], eye[1] - target[1], eye[2] - target[2]];
  const distance = Math.max(Math.hypot(x, y, z), 0.1);
  setView({ mode: "free", target, distance, yaw: Math.atan2(x, z), pitch: Math.asin(y / distance) });
}
