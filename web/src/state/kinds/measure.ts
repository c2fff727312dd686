import type { Measure } from "../../api/types";
import { length } from "../../ui/lengths";
import { type Kind, UNTURNED } from "./kind";

/** The length of a measure, metres. */
export const lengthOf = ({ start, end }: Measure): number => Math.hypot(...start.map((v, k) => v - (end[k] ?? 0)));

/** A distance that is kept in sight, held by its start. */
export const measure: Kind<Measure> = {
  icon: "ruler-dimension-line",
  rank: 5,
  points: (_, { start, end }) => [start, end],
  detail: (_, thing) => length(lengthOf(thing), 2),
  held: ({ start }) => ({ position: start, turn: UNTURNED }),
};
