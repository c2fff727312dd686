import { Matrix4, Plane, Quaternion, type Ray, Vector3 } from "three";
import type { Ground, Vector } from "../api/types";

/** A plane to draw on: the point of it that snapping counts from, and its directions across, up and along. */
export interface Frame {
  origin: Vector3;
  x: Vector3;
  up: Vector3;
  z: Vector3;
}

/** The level's ground, or a level plane at some height. */
export const groundFrame = (height = 0): Frame => ({
  origin: new Vector3(0, height, 0),
  x: new Vector3(1, 0, 0),
  up: new Vector3(0, 1, 0),
  z: new Vector3(0, 0, 1),
});

/** The plane of a face: snapping counts from where the world's origin falls onto it. */
export function frameOf(ground: Ground): Frame {
  const turn = new Quaternion(...ground.turn);
  const [x, up, z] = [new Vector3(1, 0, 0), new Vector3(0, 1, 0), new Vector3(0, 0, 1)].map((v) =>
    v.applyQuaternion(turn),
  ) as [Vector3, Vector3, Vector3];
  const origin = up.clone().multiplyScalar(up.dot(new Vector3(...ground.point)));
  return { origin, x, up, z };
}

/** Where a ray meets the plane, as its two coordinates; null where it does not, or only behind the horizon. */
export function onFrame(frame: Frame, ray: Ray, farthest: number): [number, number] | null {
  const plane = new Plane().setFromNormalAndCoplanarPoint(frame.up, frame.origin);
  const met = ray.intersectPlane(plane, new Vector3());
  if (!met || met.distanceTo(ray.origin) > farthest) return null;
  met.sub(frame.origin);
  return [met.dot(frame.x), met.dot(frame.z)];
}

export const pointOf = (frame: Frame, u: number, v: number, up = 0): Vector3 =>
  frame.origin.clone().addScaledVector(frame.x, u).addScaledVector(frame.z, v).addScaledVector(frame.up, up);

/** How far up from a point of the plane a ray passes nearest; null when one looks straight along. */
export function heightOver(frame: Frame, base: Vector3, ray: Ray): number | null {
  const across = ray.direction.clone().cross(frame.up);
  const normal = frame.up.clone().cross(across);
  if (normal.lengthSq() < 1e-6) return null;
  const plane = new Plane().setFromNormalAndCoplanarPoint(normal.normalize(), base);
  const met = ray.intersectPlane(plane, new Vector3());
  return met ? met.sub(base).dot(frame.up) : null;
}

/** Where a ray meets the upright plane through a base point: across and up from that point. */
export function onPane(frame: Frame, base: Vector3, ray: Ray): [number, number] | null {
  const met = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(frame.z, base), new Vector3());
  if (!met) return null;
  met.sub(base);
  return [met.dot(frame.x), met.dot(frame.up)];
}

export const matrixOf = (frame: Frame, at: Vector3): Matrix4 =>
  new Matrix4().makeBasis(frame.x, frame.up, frame.z).setPosition(at);

export const plain = (v: Vector3): Vector => v.toArray().map((n) => Number(n.toFixed(9)) + 0) as Vector;
