import type { Placement, Run } from "../../api/types";
import type { Kind } from "./kind";

const single = new WeakMap<Placement, readonly Run[]>();

/** A piece that stands in the level. */
export const placement: Kind<Placement> = {
  icon: "box",
  rank: 4,
  runs(scene, thing) {
    // in a group that repeats it
    const many = scene.items.get(thing.id);
    if (many) return many;
    let runs = single.get(thing);
    if (!runs) {
      const rows = [[...thing.position, ...thing.turn, ...thing.size]];
      runs = [{ piece: thing.piece, mesh: null, numbers: [0], rows, faces: [], count: 1, low: null, high: null }];
      single.set(thing, runs);
    }
    return runs;
  },
  held: ({ position, turn }) => ({ position, turn }),
};
