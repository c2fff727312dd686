import {
  type BufferGeometry,
  DoubleSide,
  FrontSide,
  InstancedBufferAttribute,
  InstancedMesh,
  LineSegments,
  type Material,
  Matrix4,
  MeshLambertMaterial,
  type Object3D,
  Sphere,
} from "three";
import type { Piece } from "../../api/types";
import { type Entry, itemMatrix } from "./entries";
import { Merged, mergeable } from "./merged";
import { releaseTexture, takeTexture, textureKey } from "./textures";

/** Line segments drawn many times, each with its own matrix. */
export class InstancedLines extends LineSegments {
  readonly isInstancedMesh = true;
  readonly instanceMatrix: InstancedBufferAttribute;
  readonly instanceColor = null;
  readonly morphTexture = null;
  count: number;

  constructor(geometry: BufferGeometry, material: Material, count: number) {
    super(geometry, material);
    this.instanceMatrix = new InstancedBufferAttribute(new Float32Array(count * 16), 16);
    this.count = count;
    this.frustumCulled = false;
  }

  computeBoundingSphere(): void {
    this.geometry.boundingSphere ??= new Sphere();
  }

  dispose(): void {
    this.dispatchEvent({ type: "dispose" } as never);
  }
}

/** Copies of a geometry: what says where they are and can be hit, and what is drawn of them. */
export interface Copies {
  each: InstancedMesh | InstancedLines;
  drawn: Object3D;
  merged: Merged | null;
}

/** Copies for which there is room when there are some: a power of two, so that few are made anew. */
export const roomOf = (count: number): number => 2 ** Math.ceil(Math.log2(Math.max(count, 1)));

/** Surfaces or lines drawn many times; `solid` ones throw shadows and take them. */
export function makeCopies(
  kind: "mesh" | "lines",
  geometry: BufferGeometry,
  material: Material,
  room: number,
  { solid = false, mirrored = false },
): Copies {
  const each =
    kind === "mesh" ? new InstancedMesh(geometry, material, room) : new InstancedLines(geometry, material, room);
  const merged = mergeable(geometry, room, mirrored) ? new Merged(kind, geometry, material, room) : null;
  const drawn = merged?.object ?? each;
  drawn.castShadow = solid;
  drawn.receiveShadow = solid;
  drawn.frustumCulled = false;
  return { each, drawn, merged };
}

const matrix = new Matrix4();

/** Put copies where a piece's items stand, or where they are dragged by matrices of their things. */
export function placeCopies(
  { each, merged }: Copies,
  entries: readonly Entry[],
  piece: Piece,
  dragged?: ReadonlyMap<string, Matrix4>,
): void {
  each.count = entries.length;
  each.userData.entries = entries;
  entries.forEach((entry, k) => {
    itemMatrix(entry.pose, piece, matrix);
    const by = dragged?.get(entry.thing);
    if (by) matrix.premultiply(by);
    matrix.toArray(each.instanceMatrix.array, k * 16);
  });
  merged?.place(each.instanceMatrix.array as Float32Array, entries.length);
  each.instanceMatrix.needsUpdate = true;
  // reckoned anew when something is picked
  if (each instanceof InstancedMesh) each.boundingSphere = null;
}

/** Whether an item is mirrored by its sizes. */
export const isMirrored = ({ pose }: Entry): boolean => (pose[7] ?? 1) * (pose[8] ?? 1) * (pose[9] ?? 1) < 0;

export function dropCopies({ each, drawn, merged }: Copies): void {
  drawn.removeFromParent();
  merged?.dispose();
  each.dispose();
}

/** The look of one of a piece's materials; `ready` is called when its picture has been loaded. */
export function surfaceMaterial(piece: Piece, slot: number, glass: boolean, ready: () => void): MeshLambertMaterial {
  const look = piece.materials?.[slot];
  const [r, g, b, a] = look?.colour ?? [0.58, 0.52, 0.42, 1];
  const mixed = look?.alpha === "blend" || (look?.alpha == null && a < 1);
  const material = new MeshLambertMaterial({
    side: piece.facts.closed && !look?.both_sides ? FrontSide : DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: 1,
    polygonOffsetUnits: 1,
    transparent: glass || mixed,
    opacity: glass ? 0.28 : mixed || look?.alpha === "mask" ? a : 1,
    depthWrite: !glass && !mixed,
    alphaTest: look?.alpha === "mask" ? look.cutoff : 0,
  });
  material.color.setRGB(r, g, b);
  if (look?.texture) {
    const moved = look.uv_transform ?? null;
    material.map = takeTexture(look.texture, moved, ready);
    material.userData.texture = textureKey(look.texture, moved);
  }
  return material;
}

/** Free a material of `surfaceMaterial`, and its use of a picture. */
export function dropSurfaceMaterial(material: MeshLambertMaterial): void {
  if (material.userData.texture) releaseTexture(material.userData.texture as string);
  material.dispose();
}
