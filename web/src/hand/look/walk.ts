import { Box3, type InstancedMesh, Line3, Matrix4, Sphere, Vector3 } from "three";
import { ExtendedTriangle } from "three-mesh-bvh";
import { treeOf } from "../../scene/pieces/trees";
import { setView, viewStore } from "../../state/view";
import { eyeDirection, viewport } from "../../viewport/controller";

const SPEED = 2.5;
const GRAVITY = 9.8;
/** The longest way that is gone at once, metres: shorter than a wall is thick. */
const STRIDE = 0.1;

/** Metres before a wall from which it is looked at. */
const BEFORE = 4;

const held = new Set<string>();
const WAYS: Record<string, [number, number]> = {
  KeyW: [0, 1],
  ArrowUp: [0, 1],
  KeyS: [0, -1],
  ArrowDown: [0, -1],
  KeyA: [-1, 0],
  ArrowLeft: [-1, 0],
  KeyD: [1, 0],
  ArrowRight: [1, 0],
};

let running = false;
let falling = 0;
let last = 0;

/** Keys of a walk. True when the key is one. */
export function walkKey(event: KeyboardEvent): boolean {
  if (!(event.code in WAYS) || event.ctrlKey || event.altKey || event.metaKey) return false;
  held.add(event.code);
  begin();
  return true;
}

window.addEventListener("keyup", (event) => held.delete(event.code));
window.addEventListener("blur", () => held.clear());

/** A place from which a wall is well seen: on the free line from there to the eye, some metres before it. */
export function someWayBefore(wall: Vector3, eye: Vector3): Vector3 {
  const line = eye.clone().sub(wall);
  const level = Math.hypot(line.x, line.z);
  return wall.clone().addScaledVector(line, level > 0 ? Math.min(BEFORE / level, 0.6) : 0);
}

/** Where one stands who wants to stand at a place: aside of what is there already. */
export function standAt(feet: Vector3): Vector3 {
  falling = 0;
  return pushedOut(feet);
}

/** Walk some metres the way one looks. */
export function walk(metres: number): void {
  go(new Vector3(0, 0, metres));
  begin();
}

function begin(): void {
  if (running) return;
  running = true;
  last = performance.now();
  requestAnimationFrame(tick);
}

function tick(): void {
  const now = performance.now();
  const time = Math.min(0.3, (now - last) / 1000);
  last = now;
  if (viewStore.getState().mode !== "eye") {
    running = false;
    held.clear();
    return;
  }
  const way = new Vector3();
  for (const code of held) {
    const [x = 0, z = 0] = WAYS[code] ?? [];
    way.x += x;
    way.z += z;
  }
  if (way.lengthSq() > 0) go(way.normalize().multiplyScalar(SPEED * time));
  const fallen = gravity(time);
  running = held.size > 0 || !fallen;
  if (running) requestAnimationFrame(tick);
}

const feetOf = (): Vector3 => {
  const { target, body } = viewStore.getState();
  return new Vector3(target[0], target[1] - body.eye, target[2]);
};

const stand = (feet: Vector3): void => setView({ target: [feet.x, feet.y + viewStore.getState().body.eye, feet.z] });

/** Go right (x) and ahead (z) by metres, in strides, each pushed out of what it meets. */
function go(way: Vector3): void {
  const { step } = viewStore.getState().body;
  const forward = eyeDirection(viewStore.getState()).negate().setY(0).normalize();
  const right = forward.clone().cross(new Vector3(0, 1, 0));
  const all = right.multiplyScalar(way.x).addScaledVector(forward, way.z);
  const strides = Math.max(1, Math.ceil(all.length() / STRIDE));
  const stride = all.divideScalar(strides);
  let feet = feetOf();
  for (let k = 0; k < strides; k++) {
    feet = pushedOut(feet.add(stride));
    const floor = floorUnder(feet);
    // up steps and down steps at once; deeper, one falls
    if (floor !== null && floor >= feet.y - step && falling === 0) feet.y = floor;
  }
  stand(feet);
}

/** Fall until there is a floor. True when one stands. */
function gravity(time: number): boolean {
  const feet = feetOf();
  const floor = floorUnder(feet);
  const lowest = floor ?? Math.min(0, feet.y);
  if (feet.y - lowest <= 1e-6) {
    falling = 0;
    return true;
  }
  falling += GRAVITY * time;
  feet.y = Math.max(lowest, feet.y - falling * time);
  if (feet.y <= lowest + 1e-6) falling = 0;
  stand(feet);
  return falling === 0;
}

/** The highest floor under the feet, a step higher at most. */
function floorUnder(feet: Vector3): number | null {
  const { radius, step } = viewStore.getState().body;
  const r = radius * 0.6;
  let best: number | null = null;
  for (const [x, z] of [
    [0, 0],
    [r, 0],
    [-r, 0],
    [0, r],
    [0, -r],
  ] as const) {
    const y = viewport.floorUnder(new Vector3(feet.x + x, feet.y + step, feet.z + z));
    if (y !== null && (best === null || y > best)) best = y;
  }
  return best;
}

const matrix = new Matrix4();
const back = new Matrix4();
const sphere = new Sphere();
const box = new Box3();
const triangle = new ExtendedTriangle();
const onTriangle = new Vector3();
const onBody = new Vector3();

/** The feet, moved aside until the body meets nothing: a capsule over the height of a step. */
function pushedOut(start: Vector3): Vector3 {
  const { radius, height, step } = viewStore.getState().body;
  const feet = start.clone();
  for (let round = 0; round < 4; round++) {
    const low = Math.min(step + radius, height - radius);
    const body = new Line3(
      new Vector3(feet.x, feet.y + low, feet.z),
      new Vector3(feet.x, feet.y + Math.max(low, height - radius), feet.z),
    );
    const before = body.start.clone();
    for (const mesh of viewport.pickables) pushFrom(mesh, body, radius);
    const push = body.start.sub(before);
    feet.add(push);
    if (push.lengthSq() < 1e-10) break;
  }
  return feet;
}

function pushFrom(mesh: InstancedMesh, body: Line3, radius: number): void {
  const { geometry } = mesh;
  if (!geometry.boundingSphere) geometry.computeBoundingSphere();
  const middle = body.getCenter(new Vector3());
  const reach = body.distance() / 2 + radius;
  for (let k = 0; k < mesh.count; k++) {
    mesh.getMatrixAt(k, matrix);
    if (!geometry.boundingSphere) continue;
    sphere.copy(geometry.boundingSphere).applyMatrix4(matrix);
    if (sphere.center.distanceTo(middle) > sphere.radius + reach) continue;
    back.copy(matrix).invert();
    box.makeEmpty();
    for (const end of [body.start, body.end]) {
      box.expandByPoint(onBody.copy(end).addScalar(radius));
      box.expandByPoint(onBody.copy(end).addScalar(-radius));
    }
    box.applyMatrix4(back);
    treeOf(geometry).shapecast({
      intersectsBounds: (bounds: Box3) => bounds.intersectsBox(box),
      intersectsTriangle: (found: ExtendedTriangle) => {
        triangle.a.copy(found.a).applyMatrix4(matrix);
        triangle.b.copy(found.b).applyMatrix4(matrix);
        triangle.c.copy(found.c).applyMatrix4(matrix);
        triangle.needsUpdate = true;
        const away = triangle.closestPointToSegment(body, onTriangle, onBody);
        if (away >= radius) return false;
        const push = onBody.sub(onTriangle).setY(0);
        const length = push.length();
        if (length < 1e-6) return false;
        push.multiplyScalar((radius - away) / length);
        body.start.add(push);
        body.end.add(push);
        return false;
      },
    });
  }
}
