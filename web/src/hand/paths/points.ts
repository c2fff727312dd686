import type { PathPoint, Vector } from "../../api/types";

export type { PathPoint };

/** A point of a path as it is first set: without handles, not leant. */
export const plainPoint = (position: Vector): PathPoint => ({ position, roll: 0, sharp: false });
