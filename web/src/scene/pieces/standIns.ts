import type { BufferGeometry, InstancedMesh } from "three";

/** Triangles from which on something coarser stands in for a mesh while the view moves. */
export const DENSE = 20_000;

const standIns = new WeakMap<BufferGeometry, BufferGeometry>();

/** What is drawn instead of a geometry while the view moves. */
export const standIn = (geometry: BufferGeometry, coarse: BufferGeometry): void => void standIns.set(geometry, coarse);

/**
 * Draw with stand-ins for dense meshes, and without shadows on anything; everything is as it was afterwards, so that
 * what is picked is picked from the meshes themselves.
 */
export function coarsely(meshes: Iterable<InstancedMesh>, draw: () => void): void {
  const changed: [InstancedMesh, BufferGeometry][] = [];
  for (const mesh of meshes) {
    const coarse = standIns.get(mesh.geometry);
    if (!coarse) continue;
    changed.push([mesh, mesh.geometry]);
    mesh.geometry = coarse;
  }
  draw();
  for (const [mesh, geometry] of changed) mesh.geometry = geometry;
}
