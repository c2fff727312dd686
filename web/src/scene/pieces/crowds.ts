import {
  type BufferGeometry,
  type Camera,
  DynamicDrawUsage,
  InstancedBufferAttribute,
  Matrix4,
  type Object3D,
  type Sphere,
} from "three";

/** Copies of surfaces, and of lines, which take longer, that are drawn while a view without a graphics card moves. */
const MOST = 6000;
const MOST_LINES = 900;
/** Copies of lines beyond which none are drawn then. */
const MANY_LINES = 20_000;
/** Copies of one mesh up to which all are drawn. */
const FEW = 150;
/** How far beyond the edges of the view copies are still taken, in halves of it. */
const BEYOND = 1.15;
/** Classes of size for each doubling, and of all. */
const FINE = 4;
const CLASSES = 256;

interface Crowd extends Object3D {
  isInstancedMesh: true;
  geometry: BufferGeometry;
  instanceMatrix: InstancedBufferAttribute;
  count: number;
  boundingSphere?: Sphere | null;
}

const chosen = new WeakMap<Crowd, InstancedBufferAttribute>();
const whole = new Matrix4();

const isCrowd = (object: Object3D): object is Crowd =>
  (object as Partial<Crowd>).isInstancedMesh === true && (object as Crowd).count > FEW;

const kindOf = (crowd: Object3D): "lines" | "surfaces" => ("isLine" in crowd ? "lines" : "surfaces");

/** Draw with the largest in the view of very many copies alone; whether there are so many. Everything is as it was afterwards. */
export function thinly(scene: Object3D, camera: Camera, draw: () => void): boolean {
  const crowds: Crowd[] = [];
  const all = { surfaces: 0, lines: 0 };
  scene.traverseVisible((object) => {
    if (!isCrowd(object)) return;
    crowds.push(object);
    all[kindOf(object)] += object.count;
  });
  if (all.surfaces <= MOST && all.lines <= MOST) {
    draw();
    return false;
  }
  camera.updateMatrixWorld();
  whole.multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
  // drawing reckons the sphere round what is drawn, which is not that round all
  const before = crowds.map(({ instanceMatrix, count, boundingSphere }) => ({ instanceMatrix, count, boundingSphere }));
  for (const crowd of crowds) {
    const kind = kindOf(crowd);
    if (kind === "lines" && all.lines > MANY_LINES) {
      crowd.count = 0;
      continue;
    }
    const most = Math.max(FEW, Math.floor(((kind === "lines" ? MOST_LINES : MOST) * crowd.count) / all[kind]));
    let few = chosen.get(crowd);
    if (!few || few.count !== most) {
      few = new InstancedBufferAttribute(new Float32Array(16 * most), 16).setUsage(DynamicDrawUsage);
      chosen.set(crowd, few);
    }
    const from = crowd.instanceMatrix.array as Float32Array;
    crowd.count = largest(from, crowd.count, most, whole.elements, few.array as Float32Array);
    few.needsUpdate = true;
    crowd.instanceMatrix = few;
  }
  draw();
  for (const [k, crowd] of crowds.entries()) Object.assign(crowd, before[k]);
  return true;
}

let sizes = new Float32Array();

/**
 * Put the matrices of those copies that are largest in the view one after the other, of `count` the `most` at most; how
 * many they are. `view` leads from the world to −1 … 1.
 */
export function largest(
  from: Float32Array,
  count: number,
  most: number,
  view: readonly number[],
  to: Float32Array,
): number {
  if (sizes.length < count) sizes = new Float32Array(count);
  const classes = new Uint32Array(CLASSES);
  const [v0 = 0, v1 = 0, , v3 = 0, v4 = 0, v5 = 0, , v7 = 0, v8 = 0, v9 = 0, , v11 = 0, v12 = 0, v13 = 0, , v15 = 0] =
    view;
  for (let k = 0; k < count; k++) {
    const at = 16 * k;
    const x = from[at + 12] as number;
    const y = from[at + 13] as number;
    const z = from[at + 14] as number;
    const w = v3 * x + v7 * y + v11 * z + v15;
    const side = BEYOND * w;
    const seen =
      w > 0 && Math.abs(v0 * x + v4 * y + v8 * z + v12) < side && Math.abs(v1 * x + v5 * y + v9 * z + v13) < side;
    if (!seen) {
      sizes[k] = -1;
      continue;
    }
    const a = from[at] as number;
    const b = from[at + 1] as number;
    const c = from[at + 2] as number;
    const size = classOf((a * a + b * b + c * c) / (w * w));
    sizes[k] = size;
    classes[size] = (classes[size] as number) + 1;
  }
  // the class from which on not all fit
  let least = CLASSES;
  let room = most;
  while (least > 0 && room >= (classes[least - 1] as number)) room -= classes[--least] as number;
  let out = 0;
  for (let k = 0; k < count; k++) {
    const size = sizes[k] as number;
    const fits = size >= least || (size === least - 1 && room-- > 0);
    if (!fits) continue;
    to.set(from.subarray(16 * k, 16 * k + 16), 16 * out++);
  }
  return out;
}

const classOf = (size: number): number =>
  Math.min(CLASSES - 1, Math.max(0, Math.floor((FINE * Math.log2(size + 1e-30)) / 2 + CLASSES / 2)));
