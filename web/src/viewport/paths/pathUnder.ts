import { Vector3 } from "three";
import type { Vector } from "../../api/types";
import { levelStore } from "../../state/level";
import { isLocked } from "../../state/tree";
import { viewStore } from "../../state/view";
import { viewport } from "../controller";
import { isDrawn } from "../pieces/entries";

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
