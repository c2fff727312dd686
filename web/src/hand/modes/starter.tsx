import type { Params, Vector } from "../../api/types";
import { Cross } from "../../scene/signs/Signs";
import { useLevel } from "../../state/level";
import { openCard, type Run, run, runsOf } from "../../state/running";
import { previewStep } from "../../state/steps";
import type { Scheme } from "../../theme/tokens";
import { hasSide, starterOf } from "../paths/starter";
import { groundAt, levelAt } from "../picking/ground";
import { away, SLOP } from "../picking/selecting";
import type { Mode, Press, Spot } from "./mode";
import { Measure } from "./parts";

/** A path of a plain form that is drawn by two drags: where it goes, then how far it reaches to the side. */
export interface StarterRun extends Run {
  readonly kind: "starter";
  from: Vector | null;
  to: Vector | null;
  hover: Vector | null;
  /** What the card says now. */
  params: () => Params;
  show: (params: Params) => void;
  take: (params: Params) => void;
}

const starters = runsOf<StarterRun>("starter");

/** Draw the starter that a card is open for; returns how to stop. */
export function startStarter(card: Pick<StarterRun, "params" | "show" | "take">): () => void {
  starters.begin({ ...card, from: null, to: null, hover: null });
  return () => starters.end();
}

const placeAt = ({ x, y, ctrl }: Spot): Vector | null => {
  const from = starters.now()?.from;
  return from ? levelAt(x, y, from[1], ctrl) : groundAt(x, y, ctrl);
};

/** What is drawn with the pointer at a place. */
function drawn(at: Vector): Params | null {
  const now = starters.now();
  if (!now?.from) return null;
  const own = now.params();
  const found = starterOf(own.form, now.from, now.to ?? at, now.to ? at : null);
  return found && { ...own, ...found };
}

function follow(spot: Spot): void {
  const now = starters.now();
  const at = placeAt(spot);
  if (!now || !at) return;
  starters.change({ hover: at });
  const params = drawn(at);
  if (params) now.show(params);
}

/** The end of a drag, or a click: on to the side, or done. */
function reach(spot: Spot): void {
  const now = starters.now();
  const at = placeAt(spot);
  if (!now?.from || !at) return;
  const params = drawn(at);
  if (!params) return;
  if (!now.to && hasSide(params.form)) starters.change({ to: at });
  else {
    run(null);
    now.take(params);
  }
}

function Prompt() {
  const now = starters.use();
  const note = useLevel((s) => s.previewNote);
  if (!now) return null;
  const words = !now.from
    ? now.params().form === "circle"
      ? "Drag from the middle outward"
      : "Drag where it goes, or set it in the card"
    : now.to
      ? "Click how far it reaches to the side"
      : "Let go, or click, where it ends";
  return (
    <>
      {words} <Measure>{now.from ? (note.split(",")[0] ?? "") : ""}</Measure>
    </>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  const at = starters.use()?.hover;
  return at && <Cross at={at} colour={scheme.ochre} />;
}

/** Drawing a starter. */
export const starterMode: Mode = {
  kind: "starter",
  cross: true,
  move: follow,
  press(from): Press {
    const begins = !starters.now()?.from;
    let moved = false;
    if (begins) starters.change({ from: placeAt(from) });
    return {
      move(at) {
        moved ||= away(at, from) > SLOP;
        follow(at);
      },
      // a click begins as well, and the next one ends
      release: (at) => (begins && !moved ? undefined : reach(at)),
    };
  },
  enter() {
    const now = starters.now();
    run(null);
    now?.take(now.params());
  },
  back() {
    const now = starters.now();
    if (now?.to) starters.change({ to: null });
    else if (now?.from) {
      previewStep(null);
      starters.change({ from: null });
    } else {
      previewStep(null);
      openCard(null);
      run(null);
    }
  },
  Prompt,
  Signs,
};
