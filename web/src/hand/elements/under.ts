import { type Matrix4, Vector3 } from "three";
import { type Cage, cageOf } from "../../scene/elements/cage";
import { itemUnder, matrixOf, nearestUnder, openItems, openNow, toView } from "../../scene/elements/open";
import { elementStore, facetOf, type Hovered, kindOfMode } from "../../state/elements";
import { viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";

/** Pixels within which an edge or a vertex is meant. */
const REACH = 10;
/** Share of the distance by which something may lie behind what is seen. */
const BEHIND = 0.004;

/** The places of a cage's vertices on the screen: x, y in pixels, and depth −1 … 1; x is NaN behind the eye. */
export function onScreen(cage: Cage, item: Matrix4): Float32Array {
  const out = new Float32Array(cage.places.length);
  const e = toView(item).elements;
  const { width, height } = viewport;
  const p = cage.places;
  for (let k = 0; k < p.length; k += 3) {
    const x = p[k] as number;
    const y = p[k + 1] as number;
    const z = p[k + 2] as number;
    const w = e[3] * x + e[7] * y + e[11] * z + e[15];
    if (w <= 1e-9) {
      out[k] = Number.NaN;
      continue;
    }
    out[k] = (((e[0] * x + e[4] * y + e[8] * z + e[12]) / w + 1) / 2) * width;
    out[k + 1] = ((1 - (e[1] * x + e[5] * y + e[9] * z + e[13]) / w) / 2) * height;
    out[k + 2] = (e[2] * x + e[6] * y + e[10] * z + e[14]) / w;
  }
  return out;
}

let kept: { key: string; cage: Cage; places: Float32Array } | null = null;

/** The same, kept as long as the view and the item stay. */
function seenPlaces(cage: Cage, item: Matrix4): Float32Array {
  const key = `${toView(item).elements.join()},${viewport.width},${viewport.height}`;
  if (kept?.key !== key || kept.cage !== cage) kept = { key, cage, places: onScreen(cage, item) };
  return kept.places;
}

/** Whether nothing stands before a place of the world. */
export function inSight(point: Vector3): boolean {
  if (viewStore.getState().draw === "glass") return true;
  const at = viewport.seen(point);
  if (!at) return false;
  const hit = nearestUnder(at.x, at.y);
  if (!hit) return true;
  const far = viewport.ray(at.x, at.y).origin.distanceTo(point);
  return hit.far >= far * (1 - BEHIND) - 1e-4;
}

/** A place of an edge: its number, and the share of the way from its first vertex. */
export interface OnEdge {
  edge: number;
  share: number;
}

/** The edge nearest to a place of the viewport that is in sight. */
export function edgeNear(cage: Cage, item: Matrix4, x: number, y: number): OnEdge | null {
  const s = seenPlaces(cage, item);
  const found: { edge: number; share: number; far: number; depth: number }[] = [];
  for (let edge = 0; edge < cage.ends.length / 2; edge++) {
    const a = 3 * (cage.ends[2 * edge] as number);
    const b = 3 * (cage.ends[2 * edge + 1] as number);
    const ax = s[a] as number;
    const ay = s[a + 1] as number;
    const bx = (s[b] as number) - ax;
    const by = (s[b + 1] as number) - ay;
    const long = bx * bx + by * by;
    const t = long > 0 ? Math.max(0, Math.min(1, ((x - ax) * bx + (y - ay) * by) / long)) : 0;
    const dx = ax + t * bx - x;
    const dy = ay + t * by - y;
    const far = dx * dx + dy * dy;
    if (far <= REACH * REACH) {
      const depth = (s[a + 2] as number) * (1 - t) + (s[b + 2] as number) * t;
      found.push({ edge, share: t, far, depth });
    }
  }
  // of edges that lie over each other the nearer one
  found.sort((p, q) => Math.round(p.far / 4) - Math.round(q.far / 4) || p.depth - q.depth);
  for (const { edge, share } of found.slice(0, 8)) {
    const on = trueShare(cage, item, edge, share);
    if (inSight(placeOn(cage, item, edge, on))) return { edge, share: on };
  }
  return null;
}

/** The share of an edge in space where it is seen at a share of its picture. */
function trueShare(cage: Cage, item: Matrix4, edge: number, share: number): number {
  const e = toView(item).elements;
  const depth = (v: number) => {
    const k = 3 * v;
    const p = cage.places;
    return e[3] * (p[k] as number) + e[7] * (p[k + 1] as number) + e[11] * (p[k + 2] as number) + e[15];
  };
  const a = depth(cage.ends[2 * edge] as number);
  const b = depth(cage.ends[2 * edge + 1] as number);
  const t = (share * a) / (share * a + (1 - share) * b);
  return Number.isFinite(t) ? t : share;
}

/** Where a share of an edge is in the world. */
export function placeOn(cage: Cage, item: Matrix4, edge: number, share: number): Vector3 {
  const a = new Vector3().fromArray(cage.places, 3 * (cage.ends[2 * edge] as number));
  const b = new Vector3().fromArray(cage.places, 3 * (cage.ends[2 * edge + 1] as number));
  return a.lerp(b, share).applyMatrix4(item);
}

/** The vertex nearest to a place of the viewport that is in sight. */
export function vertexNear(cage: Cage, item: Matrix4, x: number, y: number, reach = REACH): number | null {
  const s = seenPlaces(cage, item);
  const found: { vertex: number; far: number; depth: number }[] = [];
  for (let v = 0; v < s.length / 3; v++) {
    const far = ((s[3 * v] as number) - x) ** 2 + ((s[3 * v + 1] as number) - y) ** 2;
    if (far <= reach * reach) found.push({ vertex: v, far, depth: s[3 * v + 2] as number });
  }
  found.sort((p, q) => Math.round(p.far / 4) - Math.round(q.far / 4) || p.depth - q.depth);
  for (const { vertex } of found.slice(0, 8)) {
    if (inSight(new Vector3().fromArray(cage.places, 3 * vertex).applyMatrix4(item))) return vertex;
  }
  return null;
}

/** What the next click picks of the open piece at a place of the viewport. */
export function elementUnder(x: number, y: number): Hovered | null {
  const open = openNow();
  if (!open) return null;
  const hit = itemUnder(x, y);
  const { mode } = elementStore.getState();
  if (kindOfMode(mode) === "face") {
    if (!hit) return null;
    return { thing: hit.thing, item: hit.item, ids: mode === "facet" ? facetOf(open.piece, hit.face) : [hit.face] };
  }
  const cage = cageOf(open.mesh);
  const items = hit ? [matrixOf(hit)] : openItems();
  for (const item of items) {
    if (!item) continue;
    const found = mode === "edge" ? edgeNear(cage, item, x, y)?.edge : vertexNear(cage, item, x, y);
    if (found != null) return { thing: hit?.thing ?? "", item: hit?.item ?? 0, ids: [found] };
  }
  return null;
}
