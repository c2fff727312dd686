import type { Piece, Placement, Run } from "../../api/types";
import type { Kind } from "./kind";

type Facts = Piece["facts"];
const single = new WeakMap<Placement, { facts?: Facts; runs: readonly Run[] }>();

/** A piece that stands in the level. */
export const placement: Kind<Placement> = {
  icon: "box",
  rank: 4,
  runs(scene, thing) {
    // in a group that repeats it
    const items = scene.items.get(thing.id);
    if (items) return items;
    const facts = scene.pieces.get(thing.piece)?.facts;
    const cached = single.get(thing);
    if (cached && cached.facts === facts) return cached.runs;
    const rows = [[...thing.position, ...thing.turn, ...thing.size]];
    const counts = { triangles: facts?.triangles ?? 0, hardware_vertices: facts?.hardware_vertices ?? 0 };
    const own = { mesh: null, numbers: [0], rows, faces: [], count: 1, low: null, high: null };
    const runs = [{ piece: thing.piece, ...own, ...counts }];
    single.set(thing, { facts, runs });
    return runs;
  },
  held: ({ position, turn }) => ({ position, turn }),
};
