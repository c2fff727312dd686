import type { Params, Vector } from "../../api/types";

/** The forms of starters that have a second measure, across the first. */
export const hasSide = (form: unknown): boolean => form === "rectangle" || form === "arc" || form === "S";

const tidy = (value: number): number => Number(value.toFixed(9)) + 0;

/** The measures of a starter that was drawn from a place to another, with a third one to the side of that way; null
 * while it is too small to be one. */
export function starterOf(form: unknown, from: Vector, to: Vector, side: Vector | null): Params | null {
  const [x, z] = [to[0] - from[0], to[2] - from[2]];
  const length = Math.hypot(x, z);
  if (length < 0.02) return null;
  // turned about the upright: X goes to the left, which is −Z
  const heading = (Math.atan2(-z, x) * 180) / Math.PI;
  const left = side ? ((side[0] - from[0]) * z - (side[2] - from[2]) * x) / length : 0;
  const wide = Math.abs(left);
  switch (form) {
    case "circle":
      return { form, radius: tidy(length), position: from, heading: 0 };
    case "rectangle": {
      const width = wide < 0.02 ? Math.max(length / 2, 0.02) : wide;
      const by = (left < 0 ? -width : width) / 2;
      const middle: Vector = [
        (from[0] + to[0]) / 2 + (z / length) * by,
        from[1],
        (from[2] + to[2]) / 2 - (x / length) * by,
      ];
      return { form, length: tidy(length), width: tidy(width), position: middle, heading: tidy(heading) };
    }
    case "arc": {
      const bow = wide < 0.02 ? length / 6 : wide;
      const half = 2 * Math.atan((2 * bow) / length);
      const measures = { form, radius: tidy(length / (2 * Math.sin(half))), sweep: tidy((half * 360) / Math.PI) };
      // it curves to the right: what bows out to the right goes the other way
      const turned = heading + (half * 180) / Math.PI;
      if (left >= 0) return { ...measures, position: from, heading: tidy(turned) };
      return { ...measures, position: to, heading: tidy(turned > 180 ? turned - 180 : turned + 180) };
    }
    case "S":
      return {
        form,
        length: tidy(length),
        width: wide < 0.02 ? 0.5 * length : tidy(-left),
        position: from,
        heading: tidy(heading),
      };
    default:
      return { form, length: tidy(length), position: from, heading: tidy(heading) };
  }
}
