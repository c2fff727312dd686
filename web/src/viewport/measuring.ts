import { api } from "../api/client";
import { takeStep } from "../api/steps";
import type { Fits, Measured } from "../api/types";
import { isShown, levelStore, shown } from "../state/level";
import { tell } from "../state/messages";
import { placeOf } from "../state/place";
import { type MeasureRun, run, runningStore, updateRun } from "../state/running";
import { viewStore } from "../state/view";
import { featureAt, Latest } from "./featurePick";

const current = (): MeasureRun | null => {
  const { now } = runningStore.getState();
  return now?.kind === "measure" ? now : null;
};

/** Begin to measure: two picks give a distance, a third one an angle. */
export const startMeasuring = (): void => run({ kind: "measure", picked: [], feature: null, found: null, fits: null });

const latest = new Latest(async (x, y, free) => {
  const now = current();
  if (!now) return;
  const { things } = shown(levelStore.getState());
  const feature = await featureAt(x, y, (id) => isShown(things.get(id)), free);
  const later = current();
  if (later) updateRun({ ...later, feature });
});

export const measureMove = (x: number, y: number, free: boolean): void => latest.move(x, y, free);

/** Take what is pointed at; after three picks the next one begins anew. */
export const measurePress = (x: number, y: number, free: boolean): Promise<void> => latest.press(x, y, free, take);

async function take(): Promise<void> {
  const now = current();
  const { levelId } = levelStore.getState();
  if (!now?.feature || !levelId) return;
  const picked = now.picked.length > 2 ? [now.feature] : [...now.picked, now.feature];
  let found: Measured | null = null;
  if (picked.length > 1) {
    try {
      found = await api.measure(levelId, { features: picked.map(placeOf) });
    } catch (error) {
      tell((error as Error).message, "error");
    }
  }
  if (current()) updateRun({ ...now, picked, found, fits: null });
}

/** One pick back, or out. */
export function measureBack(): void {
  const now = current();
  if (!now || now.picked.length === 0) run(null);
  else updateRun({ ...now, picked: [], found: null, fits: null });
}

/** Whether a player fits between the first two picks. */
export async function askFits(): Promise<void> {
  const now = current();
  const { levelId } = levelStore.getState();
  const [start, end] = now?.found?.points ?? [];
  if (!now || !levelId || !start || !end) return;
  const { radius, height } = viewStore.getState().body;
  try {
    const fits: Fits = await api.fits(levelId, { start, end, radius, height });
    const later = current();
    if (later) updateRun({ ...later, fits });
  } catch (error) {
    tell((error as Error).message, "error");
  }
}

/** Keep the distance between the first two picks in sight. */
export async function keepMeasure(): Promise<void> {
  const [start, end] = current()?.found?.points ?? [];
  if (!start || !end) return;
  run(null);
  await takeStep("keep_measure", { start, end }, []);
}
