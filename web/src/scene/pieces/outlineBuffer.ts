import {
  Box3,
  BufferAttribute,
  BufferGeometry,
  DynamicDrawUsage,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Sphere,
  Vector3,
} from "three";
import type { Piece } from "../../api/types";
import { type Entry, itemMatrix } from "./entries";
import { toWorld } from "./toWorld";

/** Things that reach fewer pixels from their middle are drawn without edges: there would be nothing but edges. */
const FEWEST = 4;

/** The edges of one item: the ends of its piece's edges, and where they are written, in numbers. */
export interface Part {
  entry: Entry;
  piece: Piece;
  ends: Float32Array;
  at: number;
}

/** How many pixels a sphere at a place of an array reaches from its middle. */
type PixelScale = (spheres: Float32Array, at: number) => number;

/** Numbers for which a buffer of edges has room that is to hold some. */
export const roomFor = (numbers: number): number => 3 * 2 ** Math.ceil(Math.log2(Math.max(numbers / 3, 2)));

/**
 * The edges of many items as one object, in world coordinates. Edges are written when they are drawn for the first time
 * after their item has changed; what is too small to be seen is neither written nor drawn.
 */
export class OutlineBuffer {
  readonly lines: LineSegments;
  private readonly ends: BufferAttribute;
  private readonly index: BufferAttribute;
  private parts: readonly Part[] = [];
  private drags: readonly (Matrix4 | undefined)[] = [];
  /** Middle and reach of each part in the world. */
  private spheres = new Float32Array();
  private drawn = new Uint8Array();
  private stale = new Uint8Array();
  private listed = false;

  constructor(room: number, ink: string) {
    this.ends = new BufferAttribute(new Float32Array(room), 3).setUsage(DynamicDrawUsage);
    this.index = new BufferAttribute(new Uint32Array(room / 3), 1).setUsage(DynamicDrawUsage);
    const geometry = new BufferGeometry().setAttribute("position", this.ends).setIndex(this.index);
    geometry.setDrawRange(0, 0);
    // never left out, and nothing to be reckoned anew for it
    geometry.boundingSphere = new Sphere(new Vector3(), 1e9);
    this.lines = new LineSegments(geometry, new LineBasicMaterial({ color: ink, transparent: true, opacity: 0.5 }));
    this.lines.frustumCulled = false;
    this.lines.renderOrder = 1;
  }

  /** Take over parts, some of which are being dragged by matrices; what did not change is left as it was written. */
  place(parts: readonly Part[], drags: readonly (Matrix4 | undefined)[]): void {
    const { parts: before, drags: moved, spheres, stale } = this;
    if (parts !== before) {
      this.spheres = new Float32Array(4 * parts.length);
      this.spheres.set(spheres.subarray(0, 4 * parts.length));
      this.stale = new Uint8Array(parts.length);
      this.stale.set(stale.subarray(0, parts.length));
      this.drawn = new Uint8Array(parts.length);
      this.listed = false;
    }
    for (const [k, part] of parts.entries()) {
      const was = before[k];
      const same = was?.entry === part.entry && was.piece === part.piece && was.ends === part.ends;
      if (same && was.at === part.at && !drags[k] && !moved[k]) continue;
      sphere.copy(sphereOf(part.ends)).applyMatrix4(this.matrix(part, drags[k]));
      sphere.center.toArray(this.spheres, 4 * k);
      this.spheres[4 * k + 3] = sphere.radius;
      this.stale[k] = 1;
    }
    this.parts = parts;
    this.drags = drags;
  }

  /** Have what is large enough drawn, and written if it is not yet. */
  look(pixels: PixelScale): void {
    let [low, high] = [Number.POSITIVE_INFINITY, 0];
    let differs = !this.listed;
    for (let k = 0; k < this.parts.length; k++) {
      const seen = pixels(this.spheres, 4 * k) >= FEWEST ? 1 : 0;
      if (this.drawn[k] !== seen) {
        this.drawn[k] = seen;
        differs = true;
      }
      if (!seen || !this.stale[k]) continue;
      const part = this.parts[k] as Part;
      toWorld(part.ends, this.matrix(part, this.drags[k]).elements, 0, this.ends.array, part.at);
      this.stale[k] = 0;
      low = Math.min(low, part.at);
      high = Math.max(high, part.at + part.ends.length);
    }
    if (high > low) {
      this.ends.clearUpdateRanges();
      this.ends.addUpdateRange(low, high - low);
      this.ends.needsUpdate = true;
    }
    if (differs) this.list();
  }

  dispose(): void {
    this.lines.geometry.dispose();
  }

  private matrix({ entry, piece }: Part, drag: Matrix4 | undefined): Matrix4 {
    itemMatrix(entry.pose, piece, matrix);
    return drag ? matrix.premultiply(drag) : matrix;
  }

  private list(): void {
    const array = this.index.array as Uint32Array;
    let count = 0;
    for (const [k, { at, ends }] of this.parts.entries()) {
      if (!this.drawn[k]) continue;
      for (let end = at / 3; end < (at + ends.length) / 3; end++) array[count++] = end;
    }
    this.lines.geometry.setDrawRange(0, count);
    this.listed = true;
    if (!count) return;
    this.index.clearUpdateRanges();
    this.index.addUpdateRange(0, count);
    this.index.needsUpdate = true;
  }
}

const matrix = new Matrix4();

const sphere = new Sphere();
const spheres = new WeakMap<Float32Array, Sphere>();

/** The sphere round points. */
function sphereOf(points: Float32Array): Sphere {
  let found = spheres.get(points);
  if (!found) {
    const box = new Box3().setFromArray(points);
    found = box.getBoundingSphere(new Sphere());
    spheres.set(points, found);
  }
  return found;
}
