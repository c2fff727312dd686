import { Matrix4, type Vector3 } from "three";
import { type HandleSettings, handleStore } from "../../state/handles";
import { placeOf } from "../../state/place";
import { runningStore } from "../../state/running";
import { takeStep } from "../../state/steps";
import { numbersIn } from "../../ui/expression";
import { viewport } from "../controller";
import { done, type HandleDrag, handleRuns, heldIds, number, showEach } from "./holding";

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
  let typedOver = false;
  const set = (to: number) => {
    factor = to;
    showEach((at) => new Matrix4().makeTranslation(at.sub(origin).multiplyScalar(factor - 1)), still);
    handleRuns.change({ value: `× ${number(factor, 2)}` });
  };
  handleRuns.begin({ words: "Spread", value: "× 1.00", unit: "" });
  const stop = runningStore.subscribe(({ typed }, before) => {
    if (typed === before.typed) return;
    const [value] = numbersIn(typed) ?? [];
    typedOver = value !== undefined;
    if (value !== undefined) set(value);
  });
  return {
    move(px, py, free) {
      if (typedOver) return;
      const to = away(px, py) / start;
      set(free ? to : Number((Math.round(to / STEP) * STEP).toFixed(9)));
    },
    async finish() {
      stop();
      if (factor !== 1) await takeStep("spread", { by: "all", factor, ...staying(handleStore.getState()) }, heldIds());
      done();
    },
    cancel() {
      stop();
      done();
    },
  };
}
