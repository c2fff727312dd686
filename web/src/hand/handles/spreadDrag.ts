import { Matrix4, type Vector3 } from "three";
import { type HandleSettings, handleStore } from "../../state/handles";
import { placeOf } from "../../state/place";
import { takeStep } from "../../state/steps";
import { viewport } from "../../viewport/controller";
import { DragSession } from "./dragSession";
import { type HandleDrag, handleRuns, heldIds, number, showEach } from "./holding";

/** A dragged factor goes in these steps. */
const STEP = 0.05;
/** Pixels from the middle below which nothing more is read. */
const LEAST = 4;

/** What stays, as the tool wants it told. */
function staying({ pivot, feature, point }: HandleSettings): Record<string, unknown> {
  if (pivot === "first") return { about_what: "first" };
  if (pivot === "picked" && feature) return { about_what: "picked", picked: placeOf(feature) };
  if (pivot === "typed" || pivot === "picked") return { about_what: "point", point };
  return { about_what: "middle" };
}

/** Change only the distances: as many times as the pointer is farther from the middle than where it began. */
export function spreading(x: number, y: number, origin: Vector3): HandleDrag | null {
  const middle = viewport.seen(origin);
  if (!middle) return null;
  const away = (px: number, py: number) => Math.max(LEAST, Math.hypot(px - middle.x, py - middle.y));
  const start = away(x, y);
  const still = new Matrix4();
  let factor = 1;
  const set = (to: number) => {
    factor = to;
    showEach((at) => new Matrix4().makeTranslation(at.sub(origin).multiplyScalar(factor - 1)), still);
    handleRuns.change({ value: `× ${number(factor, 2)}` });
  };
  return new DragSession({
    prompt: { words: "Spread", value: "× 1.00", unit: "" },
    typed(values) {
      const value = values?.[0];
      if (value !== undefined) set(value);
      return value !== undefined;
    },
    move(px, py, free) {
      const to = away(px, py) / start;
      set(free ? to : Number((Math.round(to / STEP) * STEP).toFixed(9)));
    },
    async commit() {
      if (factor !== 1) await takeStep("spread", { by: "all", factor, ...staying(handleStore.getState()) }, heldIds());
    },
  });
}
