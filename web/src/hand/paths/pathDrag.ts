import { Vector3 } from "three";
import type { PathPoint, Vector } from "../../api/types";
import { handleEnds, pathInReach } from "../../scene/paths/inReach";
import { levelStore } from "../../state/level";
import { choosePoint, chosenOf } from "../../state/pathPoints";
import { select, selectionStore } from "../../state/selection";
import { previewStep, takeStep } from "../../state/steps";
import { reach } from "../../state/tree";
import { viewport } from "../../viewport/controller";
import type { Press, Spot } from "../modes/mode";
import { levelAt, surfaceAt } from "../picking/ground";
import { away, clickOn, SLOP } from "../picking/selecting";

const NEAR = 9;

/** A point of a path in the hand, or the end of one of its handles. */
export interface Grabbed {
  point: number;
  side: "position" | "handle_in" | "handle_out";
  at: Vector3;
}

const selectedPath = () => pathInReach(levelStore.getState().scene.things, selectionStore.getState().ids);

/** The point or handle end of the selected path that is under the pointer. */
export function grabPath(x: number, y: number): Grabbed | null {
  const path = selectedPath();
  if (!path) return null;
  const near = (at: Vector) => {
    const seen = viewport.seen(at);
    return seen !== null && Math.hypot(seen.x - x, seen.y - y) < NEAR;
  };
  for (const end of handleEnds(path)) {
    if (near(end.at)) return { point: end.point, side: end.side, at: new Vector3(...end.at) };
  }
  const point = path.points.findIndex((p) => near(p.position as Vector));
  const found = path.points[point];
  return found ? { point, side: "position", at: new Vector3(...(found.position as Vector)) } : null;
}

/** Drag a point or a handle's end over the level plane it lies in, a point with Alt held over what stands there; courses
 * follow live. */
export function pathPress(grabbed: Grabbed, from: Spot): Press {
  const path = selectedPath();
  let points: PathPoint[] | null = null;
  const laidOn = path ? reach(levelStore.getState().scene.things, [path.id]) : new Set<string>();
  // others that are chosen with it go along
  const chosen = path ? chosenOf(path.id) : [];
  const along = chosen.includes(grabbed.point) ? chosen : [];
  const body = (p: PathPoint[]) => ({ points: p, smooth: path?.smooth ?? true, closed: path?.closed ?? false });
  return {
    move({ x, y, ctrl, alt }) {
      if (points === null && away({ x, y }, from) <= SLOP) return;
      // with Alt a point lies on what stands under the pointer, and not on what runs along its path
      const over = alt && grabbed.side === "position";
      const to = over ? surfaceAt(x, y, ctrl, (id) => !laidOn.has(id)) : levelAt(x, y, grabbed.at.y, ctrl);
      if (!to || !path) return;
      points = path.points.map((p, k) => {
        if (grabbed.side === "position") {
          const by = [to[0] - grabbed.at.x, to[2] - grabbed.at.z] as const;
          if (k === grabbed.point) return { ...p, position: to };
          const [x, y, z] = p.position;
          return along.includes(k) ? { ...p, position: [x + by[0], y, z + by[1]] as Vector } : p;
        }
        if (k !== grabbed.point) return p;
        const [x0, y0, z0] = p.position;
        return { ...p, [grabbed.side]: [to[0] - x0, to[1] - y0, to[2] - z0] };
      });
      previewStep({ tool: "edit_path", params: body(points), selection: [path.id], adjust: false });
    },
    async release(at) {
      if (!points) {
        if (path && grabbed.side === "position") {
          if (!selectionStore.getState().ids.includes(path.id)) select([path.id]);
          choosePoint(path.id, grabbed.point, at.shift);
        } else clickOn(at, true);
        return;
      }
      if (path) await takeStep("edit_path", body(points), [path.id]);
      previewStep(null);
    },
    cancel: () => previewStep(null),
  };
}
