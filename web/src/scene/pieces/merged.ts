import { BufferAttribute, BufferGeometry, LineSegments, type Material, Mesh, Sphere, Vector3 } from "three";
import { toWorld, type Writable } from "./toWorld";

/** Corners of a geometry and of all its copies up to which copies are merged into one geometry. */
const MOST_EACH = 300;
const MOST_CORNERS = 150_000;
/** The same for mirrored copies: a renderer that draws instances would show their insides. */
const MOST_MIRRORED = 2_000_000;

/** Numbers of a geometry without its attributes' wrappers; `index` is that of every corner, in order. */
interface Plain {
  corners: number;
  position: Float32Array;
  normal: Float32Array | null;
  index: Uint32Array;
}

const plains = new WeakMap<BufferGeometry, Plain>();

function plainOf(geometry: BufferGeometry): Plain {
  let plain = plains.get(geometry);
  if (!plain) {
    const position = geometry.getAttribute("position") as BufferAttribute;
    const normal = geometry.getAttribute("normal") as BufferAttribute | undefined;
    plain = {
      corners: position.count,
      position: new Float32Array(position.array),
      normal: normal ? new Float32Array(normal.array) : null,
      index: geometry.index
        ? new Uint32Array(geometry.index.array)
        : Uint32Array.from({ length: position.count }, (_, k) => k),
    };
    plains.set(geometry, plain);
  }
  return plain;
}

/** Whether copies are better drawn as one geometry: drawing something small many times costs more than drawing much. */
export function mergeable(geometry: BufferGeometry, room: number, mirrored: boolean): boolean {
  const corners = geometry.getAttribute("position").count;
  return corners * room <= (mirrored ? MOST_MIRRORED : corners <= MOST_EACH ? MOST_CORNERS : 0);
}

/** The sign of a matrix's determinant at a place of an array: negative when it mirrors. */
export function handOf(m: ArrayLike<number>, at = 0): number {
  const a = m[at] as number;
  const b = m[at + 1] as number;
  const c = m[at + 2] as number;
  const d = m[at + 4] as number;
  const e = m[at + 5] as number;
  const f = m[at + 6] as number;
  const g = m[at + 8] as number;
  const h = m[at + 9] as number;
  const i = m[at + 10] as number;
  return Math.sign(a * (e * i - f * h) + b * (f * g - d * i) + c * (d * h - e * g));
}

/** Copies of a small geometry as one object, in world coordinates. */
export class Merged {
  readonly object: Mesh | LineSegments;
  private readonly plain: Plain;
  private readonly position: BufferAttribute;
  private readonly normal: BufferAttribute | null;
  private readonly index: BufferAttribute;
  /** The matrices that copies have been written with. */
  private readonly written: Float32Array;
  private readonly each: number;

  constructor(kind: "mesh" | "lines", source: BufferGeometry, material: Material, room: number) {
    const plain = plainOf(source);
    this.plain = plain;
    this.each = kind === "mesh" ? 3 : 2;
    const geometry = new BufferGeometry();
    this.position = new BufferAttribute(new Float32Array(plain.position.length * room), 3);
    geometry.setAttribute("position", this.position);
    this.normal = plain.normal && new BufferAttribute(new Float32Array(plain.normal.length * room), 3);
    if (this.normal) geometry.setAttribute("normal", this.normal);
    for (const [name, attribute] of Object.entries(source.attributes)) {
      if (name === "position" || name === "normal") continue;
      const { array, itemSize, normalized } = attribute as BufferAttribute;
      const repeated = new (array.constructor as Float32ArrayConstructor)(array.length * room);
      for (let k = 0; k < room; k++) repeated.set(array, k * array.length);
      geometry.setAttribute(name, new BufferAttribute(repeated, itemSize, normalized));
    }
    this.index = new BufferAttribute(new Uint32Array(plain.index.length * room), 1);
    geometry.setIndex(this.index);
    // never left out, and nothing to be reckoned anew for it
    geometry.boundingSphere = new Sphere(new Vector3(), 1e9);
    this.written = new Float32Array(16 * room).fill(Number.NaN);
    this.object = kind === "mesh" ? new Mesh(geometry, material) : new LineSegments(geometry, material);
    this.object.frustumCulled = false;
    this.object.matrixAutoUpdate = false;
  }

  /** Write copies where matrices put them; what has been written so already is left. */
  place(matrices: Float32Array, count: number): void {
    const { plain, written } = this;
    let [first, last] = [count, -1];
    for (let k = 0; k < count; k++) {
      let same = true;
      for (let j = 16 * k; j < 16 * k + 16 && same; j++) same = written[j] === matrices[j];
      if (same) continue;
      for (let j = 16 * k; j < 16 * k + 16; j++) written[j] = matrices[j] as number;
      this.write(k);
      first = Math.min(first, k);
      last = k;
    }
    if (last >= 0) {
      for (const [attribute, numbers] of [
        [this.position, 3 * plain.corners],
        [this.normal, 3 * plain.corners],
        [this.index, plain.index.length],
      ] as const) {
        if (!attribute) continue;
        attribute.addUpdateRange(first * numbers, (last + 1 - first) * numbers);
        attribute.needsUpdate = true;
      }
    }
    this.object.geometry.setDrawRange(0, count * plain.index.length);
  }

  dispose(): void {
    this.object.geometry.dispose();
  }

  private write(k: number): void {
    const { plain, written } = this;
    const n = 16 * k;
    const hand = handOf(written, n) < 0 ? -1 : 1;
    toWorld(plain.position, written, n, this.position.array, 3 * plain.corners * k);
    if (plain.normal && this.normal) {
      // normals turn with the matrix of cofactors, whatever the sizes along the axes
      cofactors(written, n, hand, turned);
      toWorld(plain.normal, turned, 0, this.normal.array, 3 * plain.corners * k);
      normalise(this.normal.array, 3 * plain.corners * k, 3 * plain.corners);
    }
    const { index } = plain;
    const numbers = this.index.array;
    const start = index.length * k;
    const corner = plain.corners * k;
    // what is mirrored is gone round the other way
    const back = hand < 0 && this.each === 3;
    for (let j = 0; j < index.length; j++) {
      numbers[start + j] = corner + (index[back ? j + 2 - 2 * (j % 3) : j] as number);
    }
  }
}

const turned = new Float32Array(16);

/** The cofactors of the matrix at a place of an array, times its hand. */
function cofactors(m: Float32Array, n: number, hand: number, out: Float32Array): void {
  for (let column = 0; column < 3; column++) {
    const p = n + 4 * ((column + 1) % 3);
    const q = n + 4 * ((column + 2) % 3);
    for (let row = 0; row < 3; row++) {
      const r = (row + 1) % 3;
      const s = (row + 2) % 3;
      out[4 * column + row] =
        hand * ((m[p + r] as number) * (m[q + s] as number) - (m[p + s] as number) * (m[q + r] as number));
    }
  }
}

function normalise(vectors: Writable, from: number, count: number): void {
  for (let j = from; j < from + count; j += 3) {
    const x = vectors[j] as number;
    const y = vectors[j + 1] as number;
    const z = vectors[j + 2] as number;
    const scale = 1 / (Math.sqrt(x * x + y * y + z * z) || 1);
    vectors[j] = x * scale;
    vectors[j + 1] = y * scale;
    vectors[j + 2] = z * scale;
  }
}
