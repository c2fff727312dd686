import { Quaternion, Vector3 } from "three";
import type { Piece, Vector } from "../../api/types";
import type { ElementKind } from "../../state/elements";
import { type Cage, verticesOf } from "./cage";

/** What is told of picked elements, in the piece's own metres. */
export interface ElementMeasures {
  /** Their middle, seen from the piece's pivot, in its axes. */
  at: Vector;
  /** m² of faces. */
  area?: number;
  /** Width and height of faces in their mean plane. */
  across?: [number, number];
  /** Metres of edges, all together. */
  long?: number;
  /** Between two vertices. */
  apart?: number;
}

/** The measures of picked elements. */
export function measuresOf(piece: Piece, cage: Cage, kind: ElementKind, ids: ReadonlySet<number>): ElementMeasures {
  const vertices = verticesOf(cage, kind, ids);
  const place = (v: number) => new Vector3().fromArray(cage.places, 3 * v);
  const middle = new Vector3();
  for (const v of vertices) middle.add(place(v));
  middle.divideScalar(Math.max(1, vertices.length));
  const [i, j, k, w] = piece.axes ?? [0, 0, 0, 1];
  const at = middle
    .clone()
    .sub(new Vector3(...(piece.pivot ?? [0, 0, 0])))
    .applyQuaternion(new Quaternion(-i, -j, -k, w))
    .toArray();
  if (kind === "vertex") {
    const [a, b] = vertices;
    const two = vertices.length === 2 && a !== undefined && b !== undefined;
    return two ? { at, apart: place(a).distanceTo(place(b)) } : { at };
  }
  if (kind === "edge") {
    let long = 0;
    for (const e of ids) long += place(cage.ends[2 * e] as number).distanceTo(place(cage.ends[2 * e + 1] as number));
    return { at, long };
  }
  let area = 0;
  const sum = new Vector3();
  for (let t = 0; t < cage.faces.length; t++) {
    if (!ids.has(cage.faces[t] as number)) continue;
    const [a, b, c] = [0, 1, 2].map((n) => place(cage.triangles[3 * t + n] as number)) as [Vector3, Vector3, Vector3];
    const cross = b.sub(a).cross(c.sub(a));
    area += cross.length() / 2;
    sum.add(cross);
  }
  if (sum.lengthSq() < 1e-18) return { at, area };
  return { at, area, across: acrossPlane(vertices.map(place), sum.normalize()) };
}

/** Width and height of places along a plane, level and up as far as it leans. */
function acrossPlane(places: Vector3[], normal: Vector3): [number, number] {
  const up = Math.abs(normal.y) > 0.99 ? new Vector3(0, 0, -1) : new Vector3(0, 1, 0);
  const x = up.clone().cross(normal).normalize();
  const y = normal.clone().cross(x);
  const spread = (way: Vector3) => {
    const along = places.map((p) => p.dot(way));
    return Math.max(...along) - Math.min(...along);
  };
  return [spread(x), spread(y)];
}
