import type { InstancedMesh, Object3D, WebGLRenderer } from "three";
import { Frustum, Matrix3, Matrix4, PerspectiveCamera, Plane, Quaternion, Ray, Raycaster, Vector3 } from "three";
import type { Vector } from "../api/types";
import { type Entry, itemOf } from "../scene/pieces/entries";
import { FIELD_OF_VIEW, fieldOf, inPerspective, type ViewState } from "../state/view";
import { handleFactor } from "../theme/settings";

/** What a ray hit: the thing and item, the point, and the face's normal in the world. */
export interface Hit {
  thing: string;
  item: number;
  /** The face of the piece's mesh. */
  face: number;
  point: Vector3;
  normal: Vector3;
  distance: number;
}

const UP = new Vector3(0, 1, 0);
const NORTH = new Vector3(0, 0, -1);

/** The direction from the target to the eye. */
export function eyeDirection({ mode, yaw, pitch }: Pick<ViewState, "mode" | "yaw" | "pitch">): Vector3 {
  if (mode === "plan") return new Vector3(0, 1, 0);
  if (mode === "front") return new Vector3(0, 0, 1);
  if (mode === "side") return new Vector3(1, 0, 0);
  return new Vector3(Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch));
}

/** The one viewport: its camera, its size, and what can be hit in it. */
class ViewportController {
  readonly camera = Object.assign(new PerspectiveCamera(FIELD_OF_VIEW, 1, 0.1, 1000), { manual: true });
  readonly pickables = new Set<InstancedMesh>();
  readonly handles = new Set<Object3D>();
  /** Put handles where the next picture will show them. */
  readonly placers = new Set<() => void>();
  element: HTMLElement | null = null;
  renderer: WebGLRenderer | null = null;
  width = 1;
  height = 1;
  redraw: () => void = () => undefined;
  private readonly raycaster = new Raycaster();

  constructor() {
    this.raycaster.firstHitOnly = true;
  }

  /** Point the camera as the view says. */
  aim(view: ViewState): void {
    const { camera } = this;
    const direction = eyeDirection(view);
    const target = new Vector3(...view.target);
    const aspect = this.width / this.height;
    const half = view.distance * Math.tan((FIELD_OF_VIEW * Math.PI) / 360);
    camera.up.copy(view.mode === "plan" ? NORTH : UP);
    if (inPerspective(view.mode)) {
      const eye = view.mode === "eye";
      camera.near = eye ? 0.05 : Math.max(view.distance * 0.01, 0.02);
      camera.far = eye ? 400 : view.distance * 12 + 300;
      camera.position.copy(target);
      if (eye) target.sub(direction);
      else camera.position.addScaledVector(direction, view.distance);
      const top = camera.near * Math.tan((fieldOf(view) * Math.PI) / 360);
      camera.projectionMatrix.makePerspective(-top * aspect, top * aspect, top, -top, camera.near, camera.far);
    } else {
      camera.near = 1;
      camera.far = 2000;
      camera.position.copy(target).addScaledVector(direction, 1000);
      camera.projectionMatrix.makeOrthographic(-half * aspect, half * aspect, half, -half, camera.near, camera.far);
    }
    camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert();
    camera.lookAt(target);
    camera.updateMatrixWorld();
  }

  /** The ray under a place of the viewport, in its own pixels. */
  ray(x: number, y: number): Ray {
    const at = (z: number) =>
      new Vector3((x / this.width) * 2 - 1, 1 - (y / this.height) * 2, z)
        .applyMatrix4(this.camera.projectionMatrixInverse)
        .applyMatrix4(this.camera.matrixWorld);
    const origin = at(-1);
    return new Ray(origin, at(1).sub(origin).normalize());
  }

  /** Where a world point is seen, in pixels of the viewport; null behind the eye. */
  seen(point: Vector3 | Vector): { x: number; y: number } | null {
    const p = (point instanceof Vector3 ? point.clone() : new Vector3(...point)).applyMatrix4(
      this.camera.matrixWorldInverse,
    );
    if (p.z > -this.camera.near && this.camera.near < 1) return null;
    p.applyMatrix4(this.camera.projectionMatrix);
    return { x: ((p.x + 1) / 2) * this.width, y: ((1 - p.y) / 2) * this.height };
  }

  /** Metres that a pixel spans at a point. */
  metresPerPixel(point: Vector3, view: ViewState): number {
    const tangent = Math.tan((fieldOf(view) * Math.PI) / 360);
    const depth = inPerspective(view.mode)
      ? -point.clone().applyMatrix4(this.camera.matrixWorldInverse).z
      : view.distance;
    return (2 * depth * tangent) / this.height;
  }

  /** Metres at a point for a pixel of a handle, which a person may have larger or smaller. */
  handlePixel(point: Vector3, view: ViewState): number {
    return handleFactor() * this.metresPerPixel(point, view);
  }

  /** How many pixels a sphere (x, y, z, reach at a place of an array) reaches from its middle; 0 where it is not seen. */
  pixelScale(): (spheres: Float32Array, at: number) => number {
    const { camera, height } = this;
    const all = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse);
    const planes = new Frustum().setFromProjectionMatrix(all).planes;
    const [, , , p, , , , q, , , , r, , , , s] = all.elements;
    const scale = (camera.projectionMatrix.elements[5] * height) / 2;
    return (spheres, at) => {
      const x = spheres[at] as number;
      const y = spheres[at + 1] as number;
      const z = spheres[at + 2] as number;
      const reach = spheres[at + 3] as number;
      for (const { normal, constant } of planes) {
        if (normal.x * x + normal.y * y + normal.z * z + constant < -reach) return 0;
      }
      const depth = p * x + q * y + r * z + s;
      return depth > 0 ? (reach * scale) / depth : Number.POSITIVE_INFINITY;
    };
  }

  /** What is nearest under a place, among the things that are accepted. */
  pick(x: number, y: number, accept?: (thing: string) => boolean): Hit | null {
    const ray = this.ray(x, y);
    this.raycaster.ray.copy(ray);
    this.raycaster.near = 0;
    this.raycaster.far = Number.POSITIVE_INFINITY;
    let best: Hit | null = null;
    for (const mesh of this.pickables) {
      const entries = mesh.userData.entries as readonly Entry[];
      for (const found of this.raycaster.intersectObject(mesh, false)) {
        const entry = found.instanceId === undefined ? undefined : entries[found.instanceId];
        if (!entry || !found.face || (best && found.distance >= best.distance)) continue;
        if (accept && !accept(entry.thing)) continue;
        const matrix = new Matrix4();
        mesh.getMatrixAt(found.instanceId ?? 0, matrix);
        const normal = worldNormal(found.face.normal, matrix);
        const faces = mesh.userData.faces as ArrayLike<number>;
        const at = itemOf(entry, faces[found.faceIndex ?? 0] ?? 0);
        best = { thing: entry.thing, ...at, point: found.point, normal, distance: found.distance };
      }
    }
    return best;
  }

  /** The height of the first thing under a place of the world; null where there is none. */
  floorUnder(from: Vector3, accept?: (thing: string) => boolean): number | null {
    this.raycaster.ray.set(from, new Vector3(0, -1, 0));
    this.raycaster.near = 0;
    this.raycaster.far = 1000;
    let best: number | null = null;
    for (const mesh of this.pickables) {
      const entries = mesh.userData.entries as readonly Entry[];
      for (const found of this.raycaster.intersectObject(mesh, false)) {
        if (accept && !accept(entries[found.instanceId ?? 0]?.thing ?? "")) continue;
        if (best === null || found.point.y > best) best = found.point.y;
      }
    }
    return best;
  }

  /** The handle part under a place, whether a picture has shown it yet or not: its name, or null. */
  pickHandle(x: number, y: number): string | null {
    for (const place of this.placers) place();
    for (const part of this.handles) part.updateWorldMatrix(true, false);
    this.raycaster.ray.copy(this.ray(x, y));
    const hits = this.raycaster.intersectObjects([...this.handles], false);
    hits.sort(
      (a, b) => (a.object.userData.rank as number) - (b.object.userData.rank as number) || a.distance - b.distance,
    );
    return (hits[0]?.object.userData.handle as string | undefined) ?? null;
  }

  /** Where the ray under a place meets the level plane y = height; null when it does not. */
  ground(x: number, y: number, height = 0): Vector3 | null {
    return this.ray(x, y).intersectPlane(new Plane(UP, -height), new Vector3());
  }

  /** The surface under a place: what stands there, or the ground. */
  surface(x: number, y: number): Vector3 | null {
    const hit = this.pick(x, y);
    if (hit && hit.normal.y > 0.7) return hit.point;
    const ground = this.ground(x, y);
    if (ground && ground.distanceTo(this.camera.position) < this.camera.far) return ground;
    return hit?.point ?? null;
  }
}

export const viewport = new ViewportController();

/** A face's normal in the world: it stays square to the face, whatever the sizes along the axes, and looks outward. */
export const worldNormal = (normal: Vector3, matrix: Matrix4): Vector3 =>
  normal.clone().applyNormalMatrix(new Matrix3().getNormalMatrix(matrix));

/** The turn of the view as a quaternion, to carry points along when the view turns. */
export const viewTurn = (yaw: number, pitch: number): Quaternion =>
  new Quaternion().setFromAxisAngle(UP, yaw).multiply(new Quaternion().setFromAxisAngle(new Vector3(1, 0, 0), -pitch));
