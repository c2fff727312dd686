import { type BufferGeometry, Mesh } from "three";
import { acceleratedRaycast, MeshBVH } from "three-mesh-bvh";

/** The tree by which a geometry's triangles are found, made when it is first asked for. */
export function treeOf(geometry: BufferGeometry): MeshBVH {
  geometry.boundsTree ??= new MeshBVH(geometry, { indirect: true });
  return geometry.boundsTree as MeshBVH;
}

Mesh.prototype.raycast = function raycast(this: Mesh, ...by) {
  treeOf(this.geometry);
  acceleratedRaycast.apply(this, by);
};

const waiting: BufferGeometry[] = [];

function plantSome(deadline: IdleDeadline): void {
  do {
    const next = waiting.pop();
    if (next) treeOf(next);
  } while (waiting.length > 0 && deadline.timeRemaining() > 2);
  if (waiting.length > 0) requestIdleCallback(plantSome);
}

/** Make the trees of geometries while there is nothing else to do, so that the first press need not wait for them. */
export function treesSoon(geometries: readonly BufferGeometry[]): void {
  if (waiting.push(...geometries) === geometries.length && geometries.length > 0) requestIdleCallback(plantSome);
}
