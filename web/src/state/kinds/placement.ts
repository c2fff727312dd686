import type { Placement } from "../../api/types";
import type { Kind } from "./kind";

const single = new WeakMap<Placement, readonly (readonly number[])[]>();

/** A piece that stands in the level. */
export const placement: Kind<Placement> = {
  icon: "box",
  rank: 4,
  poses(_, thing) {
    let poses = single.get(thing);
    if (!poses) {
      poses = [[...thing.position, ...thing.turn, ...thing.size]];
      single.set(thing, poses);
    }
    return poses;
  },
  held: ({ position, turn }) => ({ position, turn }),
};
