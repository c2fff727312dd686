import { api } from "../../api/client";
import type { Feature, Fits, Measured } from "../../api/types";
import { Dimension, Tag } from "../../scene/signs/Measures";
import { FeatureSigns } from "../../scene/signs/Signs";
import { isShown, levelStore, shown } from "../../state/level";
import { tell } from "../../state/messages";
import { placeOf } from "../../state/place";
import { type Run, run, runsOf } from "../../state/running";
import { takeStep } from "../../state/steps";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { length } from "../../ui/lengths";
import { called, featureAt, Latest } from "../picking/featurePick";
import type { Mode } from "./mode";
import { PivotHint, usePointAt } from "./parts";
import { picking, togglePivots } from "./picking";

/** Measuring: what has been picked, what is pointed at, and what came of it. */
export interface MeasureRun extends Run {
  readonly kind: "measure";
  picked: readonly Feature[];
  feature: Feature | null;
  found: Measured | null;
  fits: Fits | null;
}

export const measuring = runsOf<MeasureRun>("measure");

/** Begin to measure: two picks give a distance, a third one an angle. */
export const startMeasuring = (): void => measuring.begin({ picked: [], feature: null, found: null, fits: null });

const latest = new Latest(async (x, y, free) => {
  if (!measuring.now()) return;
  const { things } = shown(levelStore.getState());
  const feature = await featureAt(x, y, (id) => isShown(things.get(id)), free, { within: true });
  measuring.change({ feature });
});

/** Take what is pointed at; after three picks the next one begins anew. */
async function take(): Promise<void> {
  const now = measuring.now();
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
  measuring.change({ picked, found, fits: null });
}

/** One pick back, or out. */
function back(): void {
  const now = measuring.now();
  if (!now || now.picked.length === 0) run(null);
  else measuring.change({ picked: [], found: null, fits: null });
}

/** Whether a player fits between the first two picks. */
export async function askFits(): Promise<void> {
  const now = measuring.now();
  const { levelId } = levelStore.getState();
  const [start, end] = now?.found?.points ?? [];
  if (!now || !levelId || !start || !end) return;
  const { radius, height } = viewStore.getState().body;
  try {
    const fits: Fits = await api.fits(levelId, { start, end, radius, height });
    measuring.change({ fits });
  } catch (error) {
    tell((error as Error).message, "error");
  }
}

/** Keep the distance between the first two picks in sight. */
export async function keepMeasure(): Promise<void> {
  const [start, end] = measuring.now()?.found?.points ?? [];
  if (!start || !end) return;
  run(null);
  await takeStep("keep_measure", { start, end }, []);
}

function Prompt() {
  const now = measuring.use();
  const point = usePointAt();
  if (!now) return null;
  const { length } = now.picked;
  const what = length === 0 || length > 2 ? "from" : length === 1 ? "to" : "the angle to";
  return (
    <span>
      {now.feature ? `Click to measure ${what} this ${called(now.feature)}` : point}
      <PivotHint />
    </span>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  const now = measuring.use();
  if (!now) return null;
  const { picked, feature, fits } = now;
  const from = picked[0]?.point;
  const to = picked[1]?.point ?? (picked.length === 1 ? feature?.point : undefined);
  return (
    <>
      <FeatureSigns of={[...picked, feature]} colour={scheme.ochre} />
      {from && to && <Dimension start={from} end={to} colour={scheme.ochre} />}
      {fits?.width != null && <Tag at={fits.narrowest} text={`${length(fits.width, 2)} wide`} colour={scheme.ochre} />}
      {fits?.height != null && (
        <Tag at={fits.lowest} lift={fits.height} text={`${length(fits.height, 2)} high`} colour={scheme.ochre} />
      )}
    </>
  );
}

/** Measuring between picks. */
export const measureMode: Mode = {
  kind: measuring.kind,
  cross: true,
  ...picking(latest, take),
  back,
  key(letter) {
    if (letter !== "p") return false;
    return togglePivots(latest);
  },
  Prompt,
  clear() {
    const now = measuring.now();
    return [...(now?.picked ?? []), ...(now?.feature ? [now.feature] : [])].map((f) => f.point);
  },
  Signs,
};
