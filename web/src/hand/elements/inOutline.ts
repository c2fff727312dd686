import { Vector3 } from "three";
import { cageOf } from "../../scene/elements/cage";
import { nearestUnder, openItems, openNow } from "../../scene/elements/open";
import { elementStore, facetOf, kindOfMode } from "../../state/elements";
import { viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";
import { inSight, onScreen } from "./under";

/** Elements that are looked at whether anything hides them, at most. */
const MOST_SEEN = 4000;

export interface Dot {
  x: number;
  y: number;
}

/** Whether a place is within an outline of three dots or more (the even-odd rule). */
export function within(outline: readonly Dot[], x: number, y: number): boolean {
  let inside = false;
  for (let k = 0, j = outline.length - 1; k < outline.length; j = k++) {
    const a = outline[k] as Dot;
    const b = outline[j] as Dot;
    if (a.y > y !== b.y > y && x < ((b.x - a.x) * (y - a.y)) / (b.y - a.y) + a.x) inside = !inside;
  }
  return inside;
}

/** The dots of a rectangle between two corners. */
export const rectangle = (a: Dot, b: Dot): Dot[] => [a, { x: b.x, y: a.y }, b, { x: a.x, y: b.y }];

/** Elements of the open piece, of the kind that is picked, that lie whole within an outline on any item that is open;
 * with *Front only* those that nothing hides. */
export function elementsIn(outline: readonly Dot[]): number[] {
  const open = openNow();
  if (!open || outline.length < 3) return [];
  const cage = cageOf(open.mesh);
  const { mode } = elementStore.getState();
  const kind = kindOfMode(mode);
  const found = new Set<number>();
  const front = !viewStore.getState().through && viewStore.getState().draw !== "glass";
  for (const item of openItems()) {
    const s = onScreen(cage, item);
    const inside = new Uint8Array(s.length / 3);
    for (let v = 0; v < inside.length; v++) {
      const z = s[3 * v + 2] as number;
      inside[v] = z > -1 && z < 1 && within(outline, s[3 * v] as number, s[3 * v + 1] as number) ? 1 : 0;
    }
    const at = (v: number) => new Vector3().fromArray(cage.places, 3 * v);
    const take = (id: number, middle: () => Vector3, seen: (p: Vector3) => boolean) => {
      if (found.has(id)) return;
      if (!front || (found.size < MOST_SEEN && seen(middle().applyMatrix4(item)))) found.add(id);
    };
    if (kind === "vertex") {
      for (let v = 0; v < inside.length; v++) if (inside[v]) take(v, () => at(v), inSight);
    } else if (kind === "edge") {
      for (let e = 0; e < cage.ends.length / 2; e++) {
        const a = cage.ends[2 * e] as number;
        const b = cage.ends[2 * e + 1] as number;
        if (inside[a] && inside[b]) take(e, () => at(a).lerp(at(b), 0.5), inSight);
      }
    } else {
      const out = new Set<number>();
      const middles = new Map<number, number>();
      for (let t = 0; t < cage.faces.length; t++) {
        const face = cage.faces[t] as number;
        const whole = [0, 1, 2].every((k) => inside[cage.triangles[3 * t + k] as number]);
        if (!whole) out.add(face);
        else if (!middles.has(face)) middles.set(face, t);
      }
      for (const [face, t] of middles) {
        if (out.has(face)) continue;
        const middle = () => {
          const sum = new Vector3();
          for (let k = 0; k < 3; k++) sum.add(at(cage.triangles[3 * t + k] as number));
          return sum.divideScalar(3);
        };
        take(face, middle, (p) => {
          const seen = viewport.seen(p);
          return seen !== null && nearestUnder(seen.x, seen.y)?.face === face;
        });
      }
    }
  }
  if (mode !== "facet") return [...found];
  const whole = [...found].flatMap((face) => {
    const all = facetOf(open.piece, face);
    return all.every((f) => found.has(f)) ? all : [];
  });
  return [...new Set(whole)];
}
