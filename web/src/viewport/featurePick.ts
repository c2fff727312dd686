import { api } from "../api/client";
import type { Feature } from "../api/types";
import { isShown, levelStore, shown } from "../state/level";
import { type Running, run, runningStore, updateRun } from "../state/running";
import { viewStore } from "../state/view";
import { type Hit, port } from "./port";

/** Pixels within which a vertex or an edge middle is meant. */
const NEAR = 14;
/** Where to look when nothing is right under the pointer: a corner against the sky is meant from outside, too. */
const ROUND = [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [Math.cos((k * Math.PI) / 4) * 8, Math.sin((k * Math.PI) / 4) * 8]);

/** What is under a place or close by, among the things that are accepted. */
function hitNear(x: number, y: number, accept: (thing: string) => boolean): Hit | null {
  const right = port.pick(x, y, accept);
  if (right) return right;
  for (const [dx = 0, dy = 0] of ROUND) {
    const near = port.pick(x + dx, y + dy, accept);
    if (near) return near;
  }
  return null;
}

/** Whether what is running takes the pivots of what is pointed at, instead of their vertices, edges and faces. */
export function takesPivots(): boolean {
  const { now, pivots } = runningStore.getState();
  return pivots && standsInLevel(now);
}

/** Whether a feature of what stands in the level is wanted: it may be a pivot, or anywhere on an edge, which a feature
 * of a piece's mesh may not. */
export const standsInLevel = (now: Running | null): boolean =>
  now?.kind === "dock" || now?.kind === "measure" || (now?.kind === "pick" && now.piece === null);

/** The feature that is meant by a place of the viewport, told by the server; null where there is none. */
export async function featureAt(
  x: number,
  y: number,
  accept: (thing: string) => boolean,
  free = false,
): Promise<Feature | null> {
  const { levelId } = levelStore.getState();
  const hit = hitNear(x, y, accept);
  if (!hit || !levelId) return null;
  const reach = NEAR * port.metresPerPixel(hit.point, viewStore.getState());
  const { thing, item, face } = hit;
  try {
    const along = standsInLevel(runningStore.getState().now);
    const point = hit.point.toArray();
    return await api.feature(levelId, { thing, item, face, point, reach, pivot: takesPivots(), along, free });
  } catch {
    return null;
  }
}

interface Spot {
  x: number;
  y: number;
  free: boolean;
}

/**
 * Runs a question for the latest place only: while one is asked, later places wait, and the last one wins. Presses are
 * never passed over: each is asked for in its turn, where it was, and taken before anything else is asked.
 */
export class Latest {
  private next: Spot | null = null;
  private readonly presses: { spot: Spot; take: () => Promise<void> | void; done: () => void }[] = [];
  private asking = false;

  constructor(private readonly ask: (x: number, y: number, free: boolean) => Promise<void>) {}

  move(x: number, y: number, free = false): void {
    this.next = { x, y, free };
    if (!this.asking) void this.work();
  }

  /** Ask for the place of a press, and take what is there. */
  press(x: number, y: number, free: boolean, take: () => Promise<void> | void): Promise<void> {
    return new Promise((done) => {
      this.presses.push({ spot: { x, y, free }, take, done });
      this.next = null;
      if (!this.asking) void this.work();
    });
  }

  private async work(): Promise<void> {
    this.asking = true;
    try {
      for (;;) {
        const press = this.presses.shift();
        const spot = press?.spot ?? this.next;
        if (!spot) break;
        if (!press) this.next = null;
        await this.ask(spot.x, spot.y, spot.free);
        await press?.take();
        press?.done();
      }
    } finally {
      this.asking = false;
    }
  }
}

const latest = new Latest(async (x, y, free) => {
  const { now } = runningStore.getState();
  if (now?.kind !== "pick") return;
  const { things } = shown(levelStore.getState());
  const feature = await featureAt(
    x,
    y,
    (id) => {
      const thing = things.get(id);
      return isShown(thing) && (now.piece === null || thing.piece === now.piece);
    },
    free,
  );
  const later = runningStore.getState().now;
  if (later?.kind === "pick") updateRun({ ...later, feature });
});

/** Ask for the feature under the pointer; the latest place wins. */
export const featureMove = (x: number, y: number, free: boolean): void => latest.move(x, y, free);

/** Take what is under the press. */
export const featurePress = (x: number, y: number, free: boolean): Promise<void> =>
  latest.press(x, y, free, () => {
    const { now } = runningStore.getState();
    if (now?.kind !== "pick" || !now.feature) return;
    const { feature, done } = now;
    run(null);
    done(feature);
  });
