import { Problem } from "../../api/client";
import type { Feature, Params, Vector } from "../../api/types";
import { FeatureSigns, PointSign } from "../../scene/signs/Signs";
import { levelStore } from "../../state/level";
import { placeOf } from "../../state/place";
import { type Run, run, runningStore, runsOf, setTyped, useRunning } from "../../state/running";
import { select, selectionStore } from "../../state/selection";
import { previewStep, takeStep } from "../../state/steps";
import { isLocked, picked, reach } from "../../state/tree";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { numbersIn } from "../../ui/expression";
import { length } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { called, featureAt, Latest } from "../picking/featurePick";
import type { Mode } from "./mode";
import { Measure, PivotHint } from "./parts";
import { picking, togglePivots } from "./picking";

/** A dock between its picks: what moves (nothing yet: what is gripped), its grip once it is picked, and what is pointed at. */
export interface DockRun extends Run {
  readonly kind: "dock";
  selection: readonly string[];
  grip: Feature | null;
  feature: Feature | null;
  point: Vector | null;
  /** Face against face; null leaves it to the picks: a face onto a face lies flat. */
  contact: boolean | null;
  align: boolean;
  quarters: number;
}

const docks = runsOf<DockRun>("dock");

/** What was chosen for the dock before: the next one starts with it. */
let chosen: Pick<DockRun, "contact" | "align" | "quarters"> = { contact: null, align: true, quarters: 0 };

/** Begin with the grip. */
export function startDock(): void {
  const selection = [...selectionStore.getState().ids];
  docks.begin({ selection, grip: null, feature: null, point: null, ...chosen, quarters: 0 });
}

const isFace = (at: Feature | null): boolean => at?.kind === "face" || at?.kind === "on face";

/** Whether the faces are laid against each other. */
export const isFlat = (now: DockRun): boolean => now.contact ?? (isFace(now.grip) && isFace(now.feature));

function paramsOf(now: DockRun): Params | null {
  if (!now.grip || (!now.feature && !now.point)) return null;
  const gap = numbersIn(runningStore.getState().typed)?.[0] ?? 0;
  const contact = isFlat(now);
  return {
    grip: placeOf(now.grip),
    landing: now.feature && placeOf(now.feature),
    point: now.feature ? null : now.point,
    contact,
    align: now.align,
    quarters: contact ? now.quarters : 0,
    gap: contact ? gap : 0,
  };
}

function show(): void {
  const now = docks.now();
  const params = now && paramsOf(now);
  previewStep(now && params ? { tool: "dock", params, selection: now.selection, adjust: false } : null);
}

const same = (a: Feature | null, b: Feature | null): boolean =>
  a?.thing === b?.thing &&
  a?.item === b?.item &&
  a?.kind === b?.kind &&
  a?.index === b?.index &&
  a?.face === b?.face &&
  a?.share === b?.share &&
  a?.at?.join() === b?.at?.join();

/** A dock's picks are of what stands in the level, so that pivots and places on edges count. */
const latest = new Latest(async (x, y, unsnapped) => {
  const now = docks.now();
  if (!now) return;
  const moving = reach(levelStore.getState().scene.things, now.selection);
  const free = now.selection.length === 0;
  const feature = await featureAt(
    x,
    y,
    (id) => (now.grip === null ? free || moving.has(id) : !moving.has(id)),
    unsnapped,
    { within: true },
  );
  const later = docks.now();
  if (!later || later.grip !== now.grip) return;
  const point = now.grip ? (pathPoint(x, y) ?? (feature ? null : groundPoint(x, y, unsnapped))) : null;
  const met = point && feature ? null : feature;
  if (same(met, later.feature) && point?.join() === later.point?.join()) return;
  docks.change({ feature: met, point });
  show();
});

/** The nearest point of a path within reach of the pointer. */
function pathPoint(x: number, y: number): Vector | null {
  let best: Vector | null = null;
  let nearest = 10;
  for (const thing of levelStore.getState().scene.things.values()) {
    if (thing.kind !== "path" || thing.hidden) continue;
    for (const { position } of thing.points) {
      const at = viewport.seen(position);
      const away = at ? Math.hypot(at.x - x, at.y - y) : Number.POSITIVE_INFINITY;
      if (away < nearest) [best, nearest] = [position, away];
    }
  }
  return best;
}

/** A point of the ground's grid, where there is nothing to land on. */
function groundPoint(x: number, y: number, free: boolean): Vector | null {
  const at = viewport.ground(x, y);
  if (!at || at.distanceTo(viewport.camera.position) > viewport.camera.far) return null;
  const step = levelStore.getState().scene.level?.step ?? 0.5;
  const on = (v: number) => (free ? v : Math.round(v / step) * step);
  return [on(at.x), 0, on(at.z)];
}

async function take(): Promise<void> {
  const now = docks.now();
  if (!now) return;
  if (!now.grip) {
    if (!now.feature) return;
    let { selection } = now;
    if (selection.length === 0) {
      // with nothing selected, what is gripped is what moves
      const { things } = levelStore.getState().scene;
      const whole = picked(things, now.feature.thing, viewStore.getState().inside);
      if (!whole || isLocked(things, now.feature.thing)) return;
      selection = [whole];
      select(selection);
    }
    docks.change({ selection, grip: now.feature, feature: null, point: null });
    return;
  }
  const params = paramsOf(now);
  if (!params) return;
  const result = await takeStep("dock", params, now.selection);
  previewStep(null);
  if (result instanceof Problem) return;
  // the next one can follow at once; Escape leaves
  chosen = { contact: now.contact, align: now.align, quarters: 0 };
  docks.begin({ selection: now.selection, grip: null, feature: null, point: null, ...chosen });
}

/** Back to the grip, or out. */
function back(): void {
  const now = docks.now();
  previewStep(null);
  if (now?.grip) {
    setTyped("");
    docks.change({ grip: null, feature: null, point: null });
  } else run(null);
}

/** Keys between the picks. True when the key was used. */
function dockKey(key: string): boolean {
  const now = docks.now();
  if (!now) return false;
  if (key === "f") docks.change({ contact: !isFlat(now) });
  else if (key === "q" && isFlat(now)) docks.change({ quarters: (now.quarters + 1) % 4 });
  else if (key === "e" && isFlat(now)) docks.change({ align: !now.align });
  else return false;
  show();
  return true;
}

/** A gap that is typed is shown at once. */
runningStore.subscribe((state, before) => {
  if (state.typed !== before.typed && docks.now()) show();
});

function Prompt() {
  const now = docks.use();
  const pivots = useRunning((s) => s.pivots);
  if (!now) return null;
  if (!now.grip) {
    return (
      <span>
        {now.feature ? `Click to grip this ${called(now.feature)}` : "Point at what the grip is to be"}
        <PivotHint />
      </span>
    );
  }
  const flat = isFlat(now);
  const lands = now.feature ? `Click to land on this ${called(now.feature)}` : null;
  return (
    <>
      {lands ?? (now.point ? "Click to land here" : "Point at where it lands")}
      {pivots && <PivotHint />}
      <span> · F: {flat ? "do not turn" : "lay flat"}</span>
      {flat && (
        <>
          <span>
            {" "}
            · Q: turn on, now {90 * now.quarters}° · E: {now.align ? "leave edges as they are" : "line edges up"} · type
            a gap
          </span>{" "}
          <Measure>{length(0, 0)}</Measure>
        </>
      )}
    </>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  const now = docks.use();
  if (!now) return null;
  return (
    <>
      <FeatureSigns of={[now.grip, now.feature]} colour={scheme.ochre} />
      {now.point && <PointSign at={now.point} colour={scheme.ochre} />}
    </>
  );
}

/** Docking: grip, then landing. */
export const dockMode: Mode = {
  kind: docks.kind,
  cross: true,
  ...picking(latest, take),
  back,
  key(letter) {
    if (letter !== "p") return dockKey(letter);
    return togglePivots(latest);
  },
  Prompt,
  clear() {
    const now = docks.now();
    return [now?.grip?.point, now?.feature?.point, now?.point].filter((p) => p != null);
  },
  Signs,
};
