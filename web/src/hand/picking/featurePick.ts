import { api } from "../../api/client";
import type { Feature } from "../../api/types";
import { levelStore } from "../../state/level";
import { runningStore } from "../../state/running";
import { viewStore } from "../../state/view";
import { shortLength } from "../../ui/lengths";
import { type Hit, viewport } from "../../viewport/controller";

/** Pixels within which a vertex or an edge middle is meant. */
const NEAR = 14;
/** Where to look when nothing is right under the pointer: a corner against the sky is meant from outside, too. */
const ROUND = [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [Math.cos((k * Math.PI) / 4) * 8, Math.sin((k * Math.PI) / 4) * 8]);

/** What is under a place or close by, among the things that are accepted. */
function hitNear(x: number, y: number, accept: (thing: string) => boolean): Hit | null {
  const right = viewport.pick(x, y, accept);
  if (right) return right;
  for (const [dx = 0, dy = 0] of ROUND) {
    const near = viewport.pick(x + dx, y + dy, accept);
    if (near) return near;
  }
  return null;
}

/** What each kind of feature is called. */
const WORDS = {
  vertex: "vertex",
  edge: "edge middle",
  "on edge": "place on the edge",
  face: "face centre",
  "on face": "place on the face",
  pivot: "pivot",
} as const;

/** What a feature is, and how far from its end a place on an edge is. */
export const called = ({ kind, away }: Feature): string =>
  `${WORDS[kind]}${kind === "on edge" ? `, ${shortLength(away ?? 0, 3)} from its end` : ""}`;

/**
 * The feature that is meant by a place of the viewport, told by the server; null where there is none. Of what stands in
 * the level it may be a pivot, or anywhere on an edge, and where it is asked for anywhere `within` a face; of a piece's
 * mesh (`ofMesh`) it may not.
 */
export async function featureAt(
  x: number,
  y: number,
  accept: (thing: string) => boolean,
  free = false,
  { ofMesh = false, within = false } = {},
): Promise<Feature | null> {
  const { levelId } = levelStore.getState();
  const hit = hitNear(x, y, accept);
  if (!hit || !levelId) return null;
  const reach = NEAR * viewport.metresPerPixel(hit.point, viewStore.getState());
  const { thing, item, face } = hit;
  try {
    const pivot = !ofMesh && runningStore.getState().pivots;
    const point = hit.point.toArray();
    return await api.feature(levelId, { thing, item, face, point, reach, pivot, along: !ofMesh, free, within });
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
