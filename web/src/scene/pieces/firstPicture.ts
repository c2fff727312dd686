/**
 * The first picture of the level that the page opens with. It is drawn by little more than the level and the renderer,
 * while the script that builds the page is still to come; the page then takes over what has been made for it.
 */

import type { BufferGeometry, Material, Mesh, MeshLambertMaterial } from "three";
import { api } from "../../api/client";
import { firstLevel } from "../../api/early";
import { levelStore } from "../../state/level";
import { seen } from "../../state/seen";
import { viewStore } from "../../state/view";
import { isNight } from "../../theme/settings";
import { daySheet, nightSheet } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { openLevel } from "../../viewport/opening";
import { canvas } from "../canvas/canvas";
import { paintGround, placeFog, placeSun } from "../canvas/lighting";
import { askForShaders, pixelRatio, renderer, scene } from "../canvas/renderer";
import { entriesByLook, seenPiece } from "./entries";
import {
  type Copies,
  dropCopies,
  dropSurfaceMaterial,
  isMirrored,
  makeCopies,
  placeCopies,
  roomOf,
  surfaceMaterial,
} from "./instances";
import { allMeshes, meshOf } from "./meshes";

/** Milliseconds for which the picture waits for meshes: those that come later are drawn in the page. */
const LONGEST = 3000;
const made = new Map<string, Copies>();
/** Pieces may share a mesh: what is drawn of it is kept for each. */
const nameOf = (piece: string, geometry: BufferGeometry): string => `${piece} ${geometry.uuid}`;

/** Open the first level and draw it where the page's viewport will be. */
export async function firstPicture(): Promise<void> {
  canvas.className = "first";
  document.body.append(canvas);
  const { width, height } = canvas.getBoundingClientRect();
  Object.assign(viewport, { width, height });
  // this waits for all that is drawn already, and so it comes first
  renderer.setPixelRatio(pixelRatio());
  renderer.setSize(width, height, false);
  askForShaders();
  const first = firstLevel(await api.levels());
  if (!first) return;
  await openLevel(first.id);
  await allMeshes(LONGEST);
  fill();
  const view = viewStore.getState();
  paintGround(isNight() ? nightSheet : daySheet);
  placeFog(view);
  viewport.aim(view);
  renderer.render(scene, viewport.camera);
  seen();
  // what follows keeps the browser busy: let it show the picture before
  await new Promise((shown) => requestAnimationFrame(() => window.setTimeout(shown)));
}

/** Everything that stands in the level, yet without shadows, and pictures on surfaces as they come. */
function fill(): void {
  const level = levelStore.getState().scene;
  for (const [id, entries] of entriesByLook(level, new Map())) {
    const piece = seenPiece(level, id);
    if (!piece) continue;
    for (const { slot, geometry } of meshOf(piece.mesh)?.slots ?? []) {
      const look = surfaceMaterial(piece, slot, false, () => viewport.redraw());
      const how = { solid: true, mirrored: entries.some(isMirrored) };
      const copies = makeCopies("mesh", geometry, look, roomOf(entries.length), how);
      placeCopies(copies, entries, piece);
      made.set(nameOf(id, geometry), copies);
      scene.add(copies.drawn);
    }
  }
  placeSun(level);
}

/** The copies that the first picture was drawn with, once; undefined when there are none with so much room. */
export function takeFirst(
  piece: string,
  geometry: BufferGeometry,
  material: Material,
  room: number,
  mirrored: boolean,
): Copies | undefined {
  const name = nameOf(piece, geometry);
  const found = made.get(name);
  if (found?.each.instanceMatrix.count !== room || (mirrored && !found.merged)) return undefined;
  made.delete(name);
  found.drawn.removeFromParent();
  const before = found.each.material as MeshLambertMaterial;
  for (const object of [found.each, found.drawn as Mesh]) object.material = material;
  dropSurfaceMaterial(before);
  return found;
}

/** Drop what was not taken. */
export function dropFirst(): void {
  for (const copies of made.values()) {
    dropCopies(copies);
    dropSurfaceMaterial(copies.each.material as MeshLambertMaterial);
  }
  made.clear();
}
