import { Vector3 } from "three";

export const AXES = ["x", "y", "z"] as const;
export type Axis = (typeof AXES)[number];

/** The unit vector of an axis. */
export const axisVector = (axis: Axis): Vector3 =>
  new Vector3(axis === "x" ? 1 : 0, axis === "y" ? 1 : 0, axis === "z" ? 1 : 0);
