import { Vector3 } from "three";
import { previewStep, takeStep } from "../api/steps";
import type { Path, PathPoint, Vector } from "../api/types";
import { levelStore } from "../state/level";
import { selectionStore } from "../state/selection";
import { isLocked } from "../state/tree";
import { viewStore } from "../state/view";
import { isDrawn } from "./entries";
import { type Grabbed, handleEnds } from "./Paths";
import { port } from "./port";

const NEAR = 9;

/** The one selected path, if it is one. */
export function selectedPath(): Path | null {
  const { ids } = selectionStore.getState();
  const thing = ids.length === 1 ? levelStore.getState().scene.things.get(ids[0] ?? "") : undefined;
  return thing?.kind === "path" ? thing : null;
}

/** The point or handle end of the selected path that is under the pointer. */
export function grabPath(x: number, y: number): Grabbed | null {
  const path = selectedPath();
  if (!path) return null;
  const near = (at: Vector) => {
    const seen = port.seen(at);
    return seen !== null && Math.hypot(seen.x - x, seen.y - y) < NEAR;
  };
  for (const end of handleEnds(path)) {
    if (near(end.at)) return { point: end.point, side: end.side, at: new Vector3(...end.at) };
  }
  const point = path.points.findIndex((p) => near(p.position as Vector));
  const found = path.points[point];
  return found ? { point, side: "position", at: new Vector3(...(found.position as Vector)) } : null;
}

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
      const now = port.seen(p as Vector);
      if (before && now) {
        const [dx, dy] = [now.x - before.x, now.y - before.y];
        const t = Math.min(1, Math.max(0, ((x - before.x) * dx + (y - before.y) * dy) / (dx * dx + dy * dy || 1)));
        const near = Math.hypot(before.x + t * dx - x, before.y + t * dy - y) < 6;
        if (near && port.camera.position.distanceTo(new Vector3(...(p as Vector))) < depth * 1.05 + 0.2) return id;
      }
      before = now;
    }
  }
  return null;
}

/** Drag a point or a handle's end over the level plane it lies in; courses follow live. */
export function dragPath(grabbed: Grabbed) {
  const path = selectedPath();
  let points: PathPoint[] | null = null;
  const body = (p: PathPoint[]) => ({ points: p, smooth: path?.smooth ?? true, closed: path?.closed ?? false });
  return {
    move(x: number, y: number, free: boolean) {
      const ground = port.ground(x, y, grabbed.at.y);
      if (!ground || !path) return;
      const step = levelStore.getState().scene.level?.step ?? 0.5;
      const to: Vector = free
        ? [ground.x, grabbed.at.y, ground.z]
        : [Math.round(ground.x / step) * step, grabbed.at.y, Math.round(ground.z / step) * step];
      points = path.points.map((p, k) => {
        if (k !== grabbed.point) return p;
        if (grabbed.side === "position") return { ...p, position: to };
        const [x0, y0, z0] = p.position;
        return { ...p, [grabbed.side]: [to[0] - x0, to[1] - y0, to[2] - z0] };
      });
      previewStep({ tool: "edit_path", params: body(points), selection: [path.id], adjust: false });
    },
    async finish() {
      const moved = points;
      if (moved && path) await takeStep("edit_path", body(moved), [path.id]);
      previewStep(null);
    },
    cancel() {
      previewStep(null);
    },
  };
}
