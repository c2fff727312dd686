import { Plane, Vector3 } from "three";
import type { End } from "../../api/types";
import { endsStore } from "../../state/ends";
import { previewStep, takeStep } from "../../state/steps";
import { lengthNumber } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { DragSession } from "./dragSession";
import { type HandleDrag, handleRuns, number } from "./holding";

/** The end of the selected array that changes a setting. */
export const endNamed = (of: string): End | undefined => endsStore.getState().found?.ends.find((e) => e.of === of);

/** How far a place of the viewport pulls an end: metres along its line, or degrees round its centre; null for nowhere. */
function pulled(end: End, x: number, y: number): number | null {
  const ray = viewport.ray(x, y);
  const [base, way] = [new Vector3(...end.base), new Vector3(...end.way)];
  if (end.turn) {
    const met = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(way, base), new Vector3());
    if (!met) return null;
    const from = new Vector3(...end.at).sub(base);
    const to = met.sub(base);
    return (Math.atan2(from.clone().cross(to).dot(way), from.dot(to)) * 180) / Math.PI;
  }
  // the point of the line that is nearest to the ray
  const across = ray.origin.clone().sub(base);
  const b = way.dot(ray.direction);
  const wide = 1 - b * b;
  return wide < 1e-4 ? null : (way.dot(across) - b * ray.direction.dot(across)) / wide;
}

/** The value that an end is pulled to: in its steps, or free where it is no whole number. */
export function pulledTo(
  end: Pick<End, "value" | "gain" | "least" | "most" | "step">,
  by: number,
  free: boolean,
): number {
  const wanted = end.value + end.gain * by;
  const stepped = free && end.step !== 1 ? wanted : Math.round(wanted / end.step) * end.step;
  return Number(Math.min(Math.max(stepped, end.least), end.most).toFixed(9));
}

/** Pull the end of an array: it follows live. */
export function pulling(of: End["of"], x: number, y: number): HandleDrag | null {
  const { thing, found } = endsStore.getState();
  const end = endNamed(of);
  if (!thing || !found || !end) return null;
  const start = pulled(end, x, y) ?? 0;
  let value = end.value;
  const params = () => ({ ...found.settings, [of]: value });
  const said = () => (end.unit === "m" ? lengthNumber(value, 2) : end.step === 1 ? String(value) : number(value, 2));
  const set = (to: number) => {
    value = Math.min(Math.max(to, end.least), end.most);
    previewStep({ tool: "adjust_array", params: params(), selection: [thing], adjust: false });
    handleRuns.change({ value: said() });
  };
  return new DragSession({
    prompt: { words: end.words, value: said(), unit: end.unit },
    typed(values) {
      const wanted = values?.[0];
      if (wanted !== undefined) set(end.step === 1 ? Math.round(wanted) : wanted);
      return wanted !== undefined;
    },
    move(px, py, free) {
      const to = pulled(end, px, py);
      if (to === null) return;
      const next = pulledTo(end, to - start, free);
      if (next !== value) set(next);
    },
    async commit() {
      if (value !== end.value) await takeStep("adjust_array", params(), [thing]);
    },
    clear: () => previewStep(null),
  });
}
