import { Vector3 } from "three";
import { AXES, type Axis } from "../../scene/axes";
import { levelStore } from "../../state/level";
import { takeStep } from "../../state/steps";
import { reach } from "../../state/tree";
import { length } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { DragSession } from "./dragSession";
import { type HandleDrag, handleRuns, heldIds, number, show } from "./holding";
import { placeIn, sizeBox, sizeMatrix } from "./sizeBox";

const HALF = new Vector3(0.5, 0.5, 0.5);
const LEAST = 0.001;

/** Shares of a tab by its name: corners `c0` … `c7`, sides `xn`, `xp` … `zp`. */
export function sharesOf(tab: string): Vector3 {
  const kind = tab[0] ?? "";
  if (kind === "c") {
    const k = Number(tab[1]);
    return new Vector3(k & 1 ? 1 : 0, k & 2 ? 1 : 0, k & 4 ? 1 : 0);
  }
  const out = HALF.clone();
  out[kind as Axis] = tab[1] === "p" ? 1 : 0;
  return out;
}

/** Take hold of a sizing tab: a corner sizes all axes alike, a side its own; the opposite stays, with Shift the pivot. */
export function sizing(tab: string, pivot: Vector3): HandleDrag | null {
  const { scene } = levelStore.getState();
  const ids = heldIds();
  const box = sizeBox(scene, ids);
  if (!box) return null;
  const shares = sharesOf(tab);
  const corner = tab.startsWith("c");
  const axis = tab[0] as Axis;
  const grabbed = placeIn(box, shares);
  const opposite = placeIn(box, new Vector3(1, 1, 1).sub(shares));
  const extent = box.high.clone().sub(box.low);
  const lead = corner ? Math.max(extent.x, extent.y, extent.z) : extent[axis];
  const step = scene.level?.step ?? 0.5;
  const words = corner ? "Size all alike" : `Size along ${axis.toUpperCase()}`;
  const factors = new Vector3(1, 1, 1);
  let about = opposite;
  const set = (factor: number) => {
    const f = Math.max(factor, LEAST);
    for (const a of AXES) factors[a] = corner || a === axis ? f : 1;
    // what is laid along a longer path is laid anew, and not made longer
    show(sizeMatrix(box, factors, about), reach);
    const measure = corner ? `× ${number(f, 3)}` : length(lead * f, 2);
    handleRuns.change({ value: `${measure}${corner ? "" : ` · × ${number(f, 3)}`}` });
  };
  const session = new DragSession({
    prompt: { words, value: "", unit: "" },
    lengths: !corner,
    typed(values) {
      const value = values?.[0];
      // a corner is typed as a factor, a side as the length that it is to have
      if (value !== undefined && value > 0) set(corner || lead <= 0 ? value : value / lead);
      return value !== undefined;
    },
    move(px, py, free, centred) {
      about = centred ? pivot : opposite;
      const way = grabbed.clone().sub(about);
      const away = way.length();
      if (away < 1e-9 || lead <= 0) return;
      const along = way.divideScalar(away);
      const ray = viewport.ray(px, py);
      // the point of the line through the tab that is nearest to the ray
      const across = ray.origin.clone().sub(about);
      const b = along.dot(ray.direction);
      const wide = 1 - b * b;
      if (wide < 1e-6) return;
      const t = (along.dot(across) - b * ray.direction.dot(across)) / wide;
      const factor = t / away;
      const whole = Math.max(1, Math.round((lead * factor) / step)) * step;
      set(free ? factor : whole / lead);
    },
    async commit() {
      if (AXES.some((a) => factors[a] !== 1)) {
        const fixed = { axes: box.axes, about_what: "point", point: about.toArray() };
        await takeStep("size", { factors: factors.toArray(), ...fixed }, ids);
      }
    },
  });
  set(1);
  return session;
}
