import { Vector3 } from "three";
import { api } from "../../api/client";
import type { Snap, Vector } from "../../api/types";
import { dragStore } from "../../state/drag";
import { levelStore } from "../../state/level";
import { placeOf } from "../../state/place";
import { viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";

/** Pixels within which a feature is caught. */
const NEAR = 12;

/** Asks the server, for the latest place only, what a dragged selection snaps to, and tells where it then goes. */
export class Snapping {
  private next: { by: Vector; at: Vector3 } | null = null;
  private asking = false;
  private found: Snap | null = null;
  /** Counts what was asked for, so that answers which come late are known. */
  private turn = 0;

  constructor(
    private readonly selection: readonly string[],
    private readonly along: readonly Vector3[],
    /** Hears where the selection goes; null where nothing is caught. */
    private readonly follow: (by: Vector3 | null) => void,
  ) {}

  /** Whether something is caught now. */
  get holds(): boolean {
    return this.found !== null;
  }

  /** Where the selection would go by itself, and where it is then. */
  ask(by: Vector3, at: Vector3): void {
    this.turn++;
    this.next = { by: by.toArray(), at };
    if (!this.asking) void this.work();
  }

  /** Snap to nothing from here on. */
  drop(): void {
    this.turn++;
    this.next = null;
    this.catch(null);
  }

  /** What is caught in the end, as a dock, when grip and landing meet. */
  async settled(): Promise<Record<string, unknown> | null> {
    while (this.asking) await new Promise((done) => requestAnimationFrame(done));
    const { found } = this;
    if (!found?.meets) return null;
    const grip = placeOf(found.grip);
    return found.landing ? { grip, landing: placeOf(found.landing) } : { grip, point: found.point };
  }

  private catch(found: Snap | null): void {
    this.found = found;
    dragStore.setState({ caught: found && { kind: found.kind, point: found.point as Vector } });
  }

  private async work(): Promise<void> {
    this.asking = true;
    while (this.next) {
      const { by, at } = this.next;
      const mine = this.turn;
      this.next = null;
      const { levelId } = levelStore.getState();
      if (!levelId) break;
      const reach = NEAR * viewport.metresPerPixel(at, viewStore.getState());
      // all three directions are the same as none
      const along = this.along.length < 3 ? this.along.map((v) => v.toArray()) : [];
      let found: Snap | null = null;
      try {
        found = await api.snap(levelId, { selection: [...this.selection], by, reach, along });
      } catch {
        // without an answer the drag goes on by the grid
      }
      if (mine !== this.turn) continue;
      this.catch(found);
      this.follow(found && new Vector3(...found.by));
    }
    this.asking = false;
  }
}
