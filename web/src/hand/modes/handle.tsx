import { dragStore, useDrag } from "../../state/drag";
import { unitNow } from "../../ui/lengths";
import { holdHandle } from "../handles/handleDrag";
import { type HandleDrag, handlePlace, handleRuns } from "../handles/holding";
import { away, clickOn, SLOP } from "../picking/selecting";
import { pointerSpot } from "../pointer";
import type { Mode, Press, Spot } from "./mode";
import { Measure } from "./parts";

let inHand: HandleDrag | null = null;

function take(handle: string, { x, y }: Pick<Spot, "x" | "y">): HandleDrag | null {
  const place = handlePlace();
  inHand = place && holdHandle(handle, x, y, place);
  return inHand;
}

async function finish(copy = false): Promise<void> {
  const held = inHand;
  inHand = null;
  await held?.finish(copy);
}

function cancel(): void {
  inHand?.cancel();
  inHand = null;
}

/** A press on a handle: a drag moves by it, a click is meant for what is under it. */
export function handlePress(handle: string, from: Spot, click = (at: Spot) => clickOn(at, true)): Press {
  return {
    move(at) {
      if (!inHand && away(at, from) > SLOP) take(handle, from);
      // with both keys held a copy is left behind, and what is dragged still snaps
      inHand?.move(at.x, at.y, at.ctrl && !at.shift, at.shift);
    },
    release: (at) => (inHand ? finish(at.ctrl && at.shift) : click(at)),
    cancel,
  };
}

/** Type the measure of a handle that is pointed at. */
export function typeOver(handle: string): boolean {
  return take(handle, pointerSpot()) !== null;
}

const CAUGHT = {
  vertex: "a vertex",
  edge: "an edge middle",
  face: "a face centre",
  "on face": "a place on a face",
  pivot: "a pivot",
  "path point": "a path point",
  "on edge": "an edge",
} as const;

function Prompt() {
  const now = handleRuns.use();
  const caught = useDrag((s) => s.caught?.kind);
  if (!now) return null;
  return (
    <>
      {now.words} <span>or type{now.also ? `, also ${now.also}` : ""}</span>{" "}
      <Measure>
        {now.value} {now.unit === "m" ? unitNow() : now.unit}
      </Measure>
      {caught && <span> · caught {CAUGHT[caught]}</span>}
    </>
  );
}

/** A handle is dragged, or its measure typed. */
export const handleMode: Mode = {
  kind: handleRuns.kind,
  handles: true,
  letters: /^to?$/,
  move: () => undefined,
  press() {
    void finish();
    return null;
  },
  enter: () => void finish(),
  back: cancel,
  Prompt,
  clear() {
    const { caught } = dragStore.getState();
    return caught ? [caught.point] : [];
  },
};
