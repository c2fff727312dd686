import type { Feature } from "../../api/types";
import { FeatureSigns } from "../../scene/signs/Signs";
import { isShown, levelStore } from "../../state/level";
import { openCard, type Run, run, runsOf } from "../../state/running";
import { previewStep } from "../../state/steps";
import type { Scheme } from "../../theme/tokens";
import { called, featureAt, Latest } from "../picking/featurePick";
import type { Mode } from "./mode";
import { PivotHint, usePointAt } from "./parts";
import { picking, togglePivots } from "./picking";

/** A feature that is picked for a card or for the handles. */
export interface PickRun extends Run {
  readonly kind: "pick";
  /** The piece whose features count; null for all that stands in the level. */
  piece: string | null;
  feature: Feature | null;
  done: (feature: Feature) => void;
  /** What the pick is for. */
  words?: string;
  /** Whether a card is open for it, which ends with it. */
  card?: boolean;
  /** Whether any place on a face may be meant. */
  within?: boolean;
}

export const picks = runsOf<PickRun>("pick");

/** Have a feature picked. */
export const startPicking = (wish: Pick<PickRun, "piece" | "done" | "words" | "card" | "within">): void =>
  picks.begin({ ...wish, feature: null });

const latest = new Latest(async (x, y, free) => {
  const now = picks.now();
  if (!now) return;
  // copies that are only previewed have no features yet
  const { things } = levelStore.getState().scene;
  const accept = (id: string) => {
    const thing = things.get(id);
    return isShown(thing) && (now.piece === null || thing.piece === now.piece);
  };
  picks.change({
    feature: await featureAt(x, y, accept, free, { ofMesh: now.piece !== null, within: now.within === true }),
  });
});

function take(): void {
  const now = picks.now();
  if (!now?.feature) return;
  run(null);
  now.done(now.feature);
}

function Prompt() {
  const now = picks.use();
  const point = usePointAt();
  if (!now) return null;
  return (
    <span>
      {now.feature ? `Click to take this ${called(now.feature)}` : (now.words ?? point)}
      {now.piece === null && <PivotHint />}
    </span>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  return <FeatureSigns of={[picks.use()?.feature ?? null]} colour={scheme.ochre} />;
}

/** Picking a vertex, an edge middle, a face centre or a pivot. */
export const pickMode: Mode = {
  kind: picks.kind,
  cross: true,
  ...picking(latest, take),
  back() {
    previewStep(null);
    if (picks.now()?.card) openCard(null);
    run(null);
  },
  key(letter) {
    if (letter !== "p" || picks.now()?.piece !== null) return false;
    return togglePivots(latest);
  },
  Prompt,
  clear() {
    const point = picks.now()?.feature?.point;
    return point ? [point] : [];
  },
  Signs,
};
