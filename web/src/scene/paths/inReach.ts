import type { Path, Thing } from "../../api/types";

/** Ends of the handles that a path's points have: [point, "in" or "out", where]. */
export function handleEnds(
  path: Path,
): { point: number; side: "handle_in" | "handle_out"; at: [number, number, number] }[] {
  return path.points.flatMap((p, point) =>
    (["handle_in", "handle_out"] as const).flatMap((side) => {
      const h = p[side];
      const [x, y, z] = p.position;
      return h ? [{ point, side, at: [x + h[0], y + h[1], z + h[2]] as [number, number, number] }] : [];
    }),
  );
}

/** The path whose points are in reach: the only thing that is selected, or what that is laid along. */
export function pathInReach(things: ReadonlyMap<string, Thing>, ids: readonly string[]): Path | null {
  const one = ids.length === 1 ? things.get(ids[0] ?? "") : undefined;
  const thing = one?.kind === "course" ? things.get(one.path) : one;
  return thing?.kind === "path" ? thing : null;
}
