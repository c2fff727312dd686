import type { Ray, Vector3 } from "three";
import type { Drag, ShapeInfo, ShapeValues } from "../../api/types";
import { type Frame, heightOver, onFrame, onPane, pointOf } from "../../scene/frame";

/** The smallest size that is drawn, metres. */
const LEAST = 0.001;

export type Spot = [number, number];

/** What one stage of drawing has found: values of fields, and where the base's middle is in the plane. */
export interface Found {
  values: Record<string, number>;
  base: Spot;
}

export interface Reading {
  drag: Drag;
  frame: Frame;
  shape: ShapeValues;
  /** Where the stage was begun: a corner, or the centre. */
  from: Spot;
  base: Spot;
  ray: Ray;
  farthest: number;
  /** Grow from the centre. */
  centred: boolean;
  snap: (value: number) => number;
  fine: (value: number) => number;
}

const number = (shape: ShapeValues, name: string | null | undefined): number =>
  name == null ? 0 : Number(shape[name] ?? 0);

/** Where the pointer is in the plane, snapped. */
export function spotUnder(frame: Frame, ray: Ray, farthest: number, snap: (v: number) => number): Spot | null {
  const at = onFrame(frame, ray, farthest);
  return at && [snap(at[0]), snap(at[1])];
}

/** The values that the pointer gives the fields of a stage; null where it gives none. */
export function read(r: Reading): Found | null {
  const [first = "", second = ""] = r.drag.sets ?? [];
  const [u0, v0] = r.from;
  switch (r.drag.gesture) {
    case "point":
      return { values: {}, base: r.base };
    case "rectangle": {
      const at = spotUnder(r.frame, r.ray, r.farthest, r.snap);
      if (!at) return null;
      const [du, dv] = [Math.abs(at[0] - u0), Math.abs(at[1] - v0)];
      const k = r.centred ? 2 : 1;
      const base: Spot = r.centred ? [u0, v0] : [(at[0] + u0) / 2, (at[1] + v0) / 2];
      return { values: { [first]: tidy(du * k), [second]: tidy(dv * k) }, base };
    }
    case "disc": {
      const at = onFrame(r.frame, r.ray, r.farthest);
      return at && { values: { [first]: tidy(r.snap(Math.hypot(at[0] - u0, at[1] - v0))) }, base: [u0, v0] };
    }
    case "up": {
      const height = heightOver(r.frame, baseOf(r), r.ray);
      if (height === null) return null;
      const above = height - number(r.shape, r.drag.less);
      const value = r.drag.per ? above / Math.max(number(r.shape, r.drag.per), LEAST) : above;
      const stepped = r.drag.step ? Math.round(value / r.drag.step) * r.drag.step : r.snap(value);
      return { values: { [first]: tidy(stepped) }, base: r.base };
    }
    case "ring":
    case "hole":
    case "wall": {
      const at = onFrame(r.frame, r.ray, r.farthest);
      if (!at) return null;
      const d = Math.hypot(at[0] - r.base[0], at[1] - r.base[1]);
      const radius = number(r.shape, "radius");
      const value = r.drag.gesture === "hole" ? d : r.drag.gesture === "wall" ? radius - d : Math.abs(d - radius);
      return { values: { [first]: tidy(r.fine(value)) }, base: r.base };
    }
    case "pane": {
      const at = onPane(r.frame, baseOf(r), r.ray);
      if (!at) return null;
      const [x0, y0] = r.from;
      const [x, y] = [r.snap(at[0]), Math.max(0, r.snap(at[1]))];
      const [offset = "", width = "", sill = "", height = ""] = r.drag.sets ?? [];
      return {
        values: {
          [offset]: tidy((x + x0) / 2),
          [width]: tidy(Math.abs(x - x0)),
          [sill]: tidy(Math.min(y, y0)),
          [height]: tidy(Math.abs(y - y0)),
        },
        base: r.base,
      };
    }
    default:
      return null;
  }
}

export const baseOf = (r: Pick<Reading, "frame" | "base">): Vector3 => pointOf(r.frame, r.base[0], r.base[1]);

const tidy = (value: number): number => Number(value.toFixed(9));

/** Whether what a stage has set is large enough to be a shape. */
export const sound = (drag: Drag, values: Record<string, number>): boolean =>
  Object.entries(values).every(([name, v]) => v >= LEAST || name === "offset" || name === "sill") &&
  (drag.sets ?? []).every((name) => name in values);

/** The fields that later stages set, as they are shown until then: hardly there, or in proportion. */
export function provisional(info: ShapeInfo, stage: number, shape: ShapeValues): ShapeValues {
  const out = { ...shape };
  const radius = Number(shape.radius ?? 1);
  for (const drag of info.drags.slice(stage + 1)) {
    const [first = ""] = drag.sets ?? [];
    if (drag.gesture === "up") out[first] = drag.per ? 1 : 0.02;
    else if (drag.gesture === "wall") out[first] = radius * 0.25;
    else if (drag.gesture === "hole") out[first] = radius * 0.3;
    else if (drag.gesture === "ring") out[first] = radius * 0.15;
    else if (drag.gesture === "pane") {
      const [offset = "", width = "", sill = "", height = ""] = drag.sets ?? [];
      Object.assign(out, {
        [offset]: 0,
        [width]: Number(shape.width ?? 1) * 0.4,
        [sill]: 0,
        [height]: Number(out.height ?? 1) * 0.7,
      });
    }
  }
  if (info.kind === "helix" && stage < 2) {
    out.section = Math.min(radius * 0.1, Number(out.pitch) * 0.3);
    if (stage === 0) Object.assign(out, { pitch: radius * 0.5, turns: 1, section: radius * 0.1 });
  } else if (info.kind === "helix" && stage === 2) out.section = Math.min(radius * 0.1, Number(out.pitch) * 0.3);
  return out;
}

/** The values that typed numbers give the fields of a stage; one number serves both sides of a rectangle. */
export function typedValues(drag: Drag, numbers: readonly number[]): Record<string, number> | null {
  const sets = drag.sets ?? [];
  if (numbers.length === 0 || numbers.length > sets.length) return null;
  if (drag.gesture === "rectangle") {
    const [a = 0, b = a] = numbers;
    return { [sets[0] ?? ""]: a, [sets[1] ?? ""]: b };
  }
  return numbers.length === sets.length ? Object.fromEntries(sets.map((name, k) => [name, numbers[k] ?? 0])) : null;
}
