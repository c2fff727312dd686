import { Vector3 } from "three";
import type { Vector } from "../../api/types";
import { isDrawn } from "../../scene/pieces/entries";
import { levelStore } from "../../state/level";
import { isLocked } from "../../state/tree";
import { viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";

/** The path whose line is under the pointer and not behind what stands there, `depth` metres from the eye. */
export function pathUnder(x: number, y: number, depth = Number.POSITIVE_INFINITY): string | null {
  const { scene } = levelStore.getState();
  const { paths, things } = scene;
  const { isolated } = viewStore.getState();
  for (const [id, { line }] of paths) {
    const thing = things.get(id);
    if (!thing || isLocked(things, id) || !isDrawn(scene, thing, isolated)) continue;
    let before: { x: number; y: number } | null = null;
    for (const p of line) {
      const now = viewport.seen(p as Vector);
      if (before && now) {
        const [dx, dy] = [now.x - before.x, now.y - before.y];
        const t = Math.min(1, Math.max(0, ((x - before.x) * dx + (y - before.y) * dy) / (dx * dx + dy * dy || 1)));
        const near = Math.hypot(before.x + t * dx - x, before.y + t * dy - y) < 6;
        if (near && viewport.camera.position.distanceTo(new Vector3(...(p as Vector))) < depth * 1.05 + 0.2) return id;
      }
      before = now;
    }
  }
  return null;
}

/** Where on a path's line a place of the viewport is, as the number of the span and the share of it; null beside it. */
export function placeOnPath(id: string, x: number, y: number): number | null {
  const { paths, things } = levelStore.getState().scene;
  const path = things.get(id);
  const line = paths.get(id)?.line;
  if (path?.kind !== "path" || !line) return null;
  const seen = line.map((p) => viewport.seen(p as Vector));
  let best: { away: number; at: number } | null = null;
  for (let k = 0; k + 1 < line.length; k++) {
    const [a, b] = [seen[k], seen[k + 1]];
    if (!a || !b) continue;
    const [dx, dy] = [b.x - a.x, b.y - a.y];
    const t = Math.min(1, Math.max(0, ((x - a.x) * dx + (y - a.y) * dy) / (dx * dx + dy * dy || 1)));
    const away = Math.hypot(a.x + t * dx - x, a.y + t * dy - y);
    if (away < 6 && (!best || away < best.away)) best = { away, at: k + t };
  }
  if (!best) return null;
  // the line's points are spread evenly over each span, or are its ends where it is straight
  const spots = path.points.map((p) =>
    line.findIndex((q) => q.every((v, k) => Math.abs(v - (p.position[k] ?? 0)) < 1e-6)),
  );
  for (let k = 0; k < path.points.length; k++) {
    const from = spots[k] ?? -1;
    const next = spots[k + 1] ?? -1;
    const to = next > from ? next : k === path.points.length - 1 && path.closed ? line.length - 1 : -1;
    if (from >= 0 && to > from && best.at >= from && best.at <= to) return k + (best.at - from) / (to - from);
  }
  return null;
}
