import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useLayoutEffect, useMemo, useRef } from "react";
import {
  Box3,
  BufferAttribute,
  BufferGeometry,
  DynamicDrawUsage,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Sphere,
  Vector3,
} from "three";
import { type Scene, shown, useLevel } from "../state/level";
import { reach } from "../state/tree";
import { useView } from "../state/view";
import type { Scheme } from "../theme/tokens";
import { useDrag } from "./drag";
import { type Entry, itemMatrix } from "./entries";
import type { ViewMesh } from "./meshes";
import { port } from "./port";

/** Things that reach fewer pixels from their middle are drawn without edges: there would be nothing but edges. */
const FEWEST = 4;

/** Edges of a piece in the whole level, up to which they are drawn together with those of the others. */
const MOST = 40_000;

/** The pieces whose edges are drawn together, in one go: what a frame costs is mostly how often something is drawn. */
export function outlinedTogether(
  scene: Scene,
  entries: ReadonlyMap<string, readonly Entry[]>,
  meshes: ReadonlyMap<string, ViewMesh>,
): ReadonlyMap<string, Float32Array> {
  const out = new Map<string, Float32Array>();
  for (const [id, list] of entries) {
    const mesh = meshes.get(scene.pieces.get(id)?.mesh ?? "");
    if (!mesh?.outline) continue;
    const ends = endsOf(mesh.outline);
    if ((ends.length / 6) * list.length <= MOST) out.set(id, ends);
  }
  return out;
}

const sphere = new Sphere();
const spheres = new WeakMap<Float32Array, Sphere>();

/** The sphere round points. */
function sphereOf(points: Float32Array): Sphere {
  let found = spheres.get(points);
  if (!found) {
    const box = new Box3().setFromArray(points);
    found = box.getBoundingSphere(new Sphere());
    spheres.set(points, found);
  }
  return found;
}

const known = new WeakMap<BufferGeometry, Float32Array>();

/** The ends of line segments, six numbers each. */
function endsOf(lines: BufferGeometry): Float32Array {
  let ends = known.get(lines);
  if (!ends) {
    const plain = lines.index ? lines.toNonIndexed() : lines;
    ends = new Float32Array((plain.getAttribute("position") as BufferAttribute).array);
    known.set(lines, ends);
  }
  return ends;
}

interface OutlinesProps {
  entries: ReadonlyMap<string, readonly Entry[]>;
  together: ReadonlyMap<string, Float32Array>;
  scheme: Scheme;
}

const matrix = new Matrix4();

/** Points, moved by an affine matrix, into an array; plainly, as there are hundreds of thousands. */
function transformed(points: Float32Array, by: Matrix4, out: Float32Array, at: number): void {
  const [a, b, c, , d, e, f, , g, h, i, , x, y, z] = by.elements;
  for (let k = 0; k < points.length; k += 3) {
    const p = points[k] as number;
    const q = points[k + 1] as number;
    const r = points[k + 2] as number;
    out[at + k] = a * p + d * q + g * r + x;
    out[at + k + 1] = b * p + e * q + h * r + y;
    out[at + k + 2] = c * p + f * q + i * r + z;
  }
}

/** The edges of many pieces as one object in world coordinates; what changes is written over in place. */
export function Outlines({ entries, together, scheme }: OutlinesProps) {
  const scene = useLevel(shown);
  const inside = useView((v) => v.inside);
  const dragged = useDrag((s) => s.now);
  const invalidate = useThree((s) => s.invalidate);
  const within = useMemo(() => (inside === null ? null : reach(scene.things, [inside])), [scene.things, inside]);
  const parts = useMemo(() => {
    const out: { entry: Entry; piece: string; ends: Float32Array; at: number }[] = [];
    let at = 0;
    for (const [piece, ends] of together) {
      for (const entry of entries.get(piece) ?? []) {
        if (within && !within.has(entry.thing)) continue;
        out.push({ entry, piece, ends, at });
        at += ends.length;
      }
    }
    return { list: out, length: at };
  }, [entries, together, within]);
  const capacity = 3 * 2 ** Math.ceil(Math.log2(Math.max(parts.length / 3, 2)));
  const lines = useMemo(() => {
    const geometry = new BufferGeometry();
    const attribute = new BufferAttribute(new Float32Array(capacity), 3);
    attribute.setUsage(DynamicDrawUsage);
    geometry.setAttribute("position", attribute);
    const index = new BufferAttribute(new Uint32Array(capacity / 3), 1);
    index.setUsage(DynamicDrawUsage);
    geometry.setIndex(index);
    geometry.setDrawRange(0, 0);
    // never left out, and nothing to be reckoned anew for it
    geometry.boundingSphere = new Sphere(new Vector3(), 1e9);
    const material = new LineBasicMaterial({ color: scheme.ink, transparent: true, opacity: 0.5 });
    const made = new LineSegments(geometry, material);
    made.frustumCulled = false;
    made.renderOrder = 1;
    return made;
  }, [capacity, scheme]);
  useEffect(() => () => lines.geometry.dispose(), [lines]);
  /** What has been written where: the entry, and the matrix of its drag. */
  const written = useRef(new Map<number, unknown>());
  const owner = useRef<LineSegments | null>(null);
  /** Middle and reach of each part in the world, and which of them are drawn. */
  const round = useRef({ spheres: new Float32Array(), drawn: new Uint8Array(), fresh: true });
  useLayoutEffect(() => {
    if (owner.current !== lines) {
      owner.current = lines;
      written.current = new Map();
    }
    const attribute = lines.geometry.getAttribute("position") as BufferAttribute;
    const array = attribute.array as Float32Array;
    const before = written.current;
    const after = new Map<number, unknown>();
    let [low, high] = [Number.POSITIVE_INFINITY, 0];
    const count = parts.list.length;
    const spheres = new Float32Array(4 * count);
    for (const [k, { entry, piece, ends, at }] of parts.list.entries()) {
      const row = scene.pieces.get(piece);
      if (!row) continue;
      const by = dragged?.of.get(entry.thing);
      after.set(at, by ? { by } : entry);
      itemMatrix(entry.pose, row, matrix);
      if (by) matrix.premultiply(by);
      sphere.copy(sphereOf(ends)).applyMatrix4(matrix);
      sphere.center.toArray(spheres, 4 * k);
      spheres[4 * k + 3] = sphere.radius;
      if (!by && before.get(at) === entry && pivots.get(entry) === row) continue;
      pivots.set(entry, row);
      transformed(ends, matrix, array, at);
      low = Math.min(low, at);
      high = Math.max(high, at + ends.length);
    }
    written.current = after;
    if (high > low) {
      attribute.clearUpdateRanges();
      attribute.addUpdateRange(low, high - low);
      attribute.needsUpdate = true;
    }
    round.current = { spheres, drawn: new Uint8Array(count), fresh: true };
    invalidate();
  }, [lines, parts, scene.pieces, dragged, invalidate]);
  useFrame(() => {
    const { spheres, drawn } = round.current;
    let differs = round.current.fresh;
    const pixels = port.gauge();
    for (let k = 0; k < drawn.length; k++) {
      const seen = pixels(spheres, 4 * k) >= FEWEST ? 1 : 0;
      if (drawn[k] === seen) continue;
      drawn[k] = seen;
      differs = true;
    }
    if (differs) listed(lines.geometry, parts.list, drawn);
    round.current.fresh = false;
  });
  return parts.length > 0 ? <primitive object={lines} /> : null;
}

/** Have only the parts drawn that are marked. */
function listed(
  geometry: BufferGeometry,
  parts: readonly { at: number; ends: Float32Array }[],
  drawn: Uint8Array,
): void {
  const index = geometry.index as BufferAttribute;
  const array = index.array as Uint32Array;
  let count = 0;
  for (const [k, { at, ends }] of parts.entries()) {
    if (!drawn[k]) continue;
    for (let end = at / 3; end < (at + ends.length) / 3; end++) array[count++] = end;
  }
  geometry.setDrawRange(0, count);
  if (!count) return;
  index.clearUpdateRanges();
  index.addUpdateRange(0, count);
  index.needsUpdate = true;
}

/** The piece with which an entry was written last: another pivot moves its edges. */
const pivots = new WeakMap<Entry, unknown>();
