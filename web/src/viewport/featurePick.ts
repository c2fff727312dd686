import { api } from "../api/client";
import { levelStore, shown } from "../state/level";
import { run, runningStore, updateRun } from "../state/running";
import { viewStore } from "../state/view";
import { port } from "./port";

/** Pixels within which a vertex or an edge middle is meant. */
const NEAR = 14;
let asking = false;
let next: { x: number; y: number } | null = null;

/** Ask for the feature under the pointer; the latest place wins. */
export function featureMove(x: number, y: number): void {
  next = { x, y };
  if (!asking) void ask();
}

async function ask(): Promise<void> {
  asking = true;
  while (next) {
    const { x, y } = next;
    next = null;
    const { now } = runningStore.getState();
    const { levelId } = levelStore.getState();
    if (now?.kind !== "pick" || !levelId) break;
    const hit = port.pick(x, y);
    const thing = hit && shown(levelStore.getState()).things.get(hit.thing);
    const mine = thing && thing.kind !== "path" && (now.piece === null || thing.piece === now.piece);
    if (!hit || !mine) {
      updateRun({ ...now, feature: null });
      continue;
    }
    const reach = NEAR * port.metresPerPixel(hit.point, viewStore.getState());
    try {
      const { thing: id, item, face } = hit;
      const feature = await api.feature(levelId, { thing: id, item, face, point: hit.point.toArray(), reach });
      const later = runningStore.getState().now;
      if (later?.kind === "pick") updateRun({ ...later, feature });
    } catch {
      const later = runningStore.getState().now;
      if (later?.kind === "pick") updateRun({ ...later, feature: null });
    }
  }
  asking = false;
}

/** Take what is shown. */
export async function featurePress(x: number, y: number): Promise<void> {
  featureMove(x, y);
  while (asking) await new Promise((done) => requestAnimationFrame(done));
  const { now } = runningStore.getState();
  if (now?.kind !== "pick" || !now.feature) return;
  const { feature, done } = now;
  run(null);
  done(feature);
}
