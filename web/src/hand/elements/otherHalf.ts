import { BufferAttribute, BufferGeometry, type Matrix4, Vector3 } from "three";
import type { MirrorPlane } from "../../api/types";
import type { Cage } from "../../scene/elements/cage";
import { imageOf } from "../../scene/elements/imageOf";

/** What holds vertices on the plane of a piece that is mirrored live. */
export interface Seam {
  image: Matrix4;
  on(p: Vector3): boolean;
  put(p: Vector3): Vector3;
}

/** How near to the plane is on it, by how far the mesh reaches: places are drawn with 24 bits. */
const ON_PLANE = 2e-6;

export function seamOf(plane: MirrorPlane, cage: Cage): Seam {
  const normal = new Vector3(...plane.normal);
  const at = normal.dot(new Vector3(...plane.point));
  let reach = Math.abs(at);
  for (const value of cage.places) reach = Math.max(reach, Math.abs(value));
  return {
    image: imageOf(plane),
    on: (p) => Math.abs(normal.dot(p) - at) <= ON_PLANE * reach,
    put: (p) => p.addScaledVector(normal, at - normal.dot(p)),
  };
}

/** Places, and after them their images. */
export function withImages(places: BufferAttribute, image: Matrix4): BufferAttribute {
  const over = places.clone().applyMatrix4(image);
  const both = new Float32Array(2 * places.array.length);
  both.set(places.array);
  both.set(over.array, places.array.length);
  return new BufferAttribute(both, 3);
}

/** Lines between places, and between the images after them. */
export function withImageLines(lines: BufferGeometry, places: BufferAttribute): BufferGeometry {
  const index = lines.index?.array ?? [];
  const both = new Uint32Array(2 * index.length);
  both.set(index);
  for (let k = 0; k < index.length; k++) both[index.length + k] = (index[k] as number) + places.count / 2;
  return new BufferGeometry().setAttribute("position", places).setIndex(new BufferAttribute(both, 1));
}

/** A geometry on the other side of a plane, its triangles gone round the other way. */
export function imaged(geometry: BufferGeometry, image: Matrix4): BufferGeometry {
  const out = geometry.clone();
  out.applyMatrix4(image);
  const index = out.index?.array ?? Uint32Array.from({ length: out.getAttribute("position").count }, (_, k) => k);
  const turned = new Uint32Array(index);
  for (let t = 0; t + 2 < turned.length; t += 3) {
    turned[t + 1] = index[t + 2] as number;
    turned[t + 2] = index[t + 1] as number;
  }
  return out.setIndex(new BufferAttribute(turned, 1));
}
