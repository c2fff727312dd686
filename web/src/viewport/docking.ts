import { Problem } from "../api/client";
import { previewStep, takeStep } from "../api/steps";
import type { Feature, Params, Vector } from "../api/types";
import { levelStore } from "../state/level";
import { placeOf } from "../state/place";
import { type DockRun, run, runningStore, setTyped, updateRun } from "../state/running";
import { select, selectionStore } from "../state/selection";
import { isLocked, meant, reach } from "../state/tree";
import { viewStore } from "../state/view";
import { numbersIn } from "../ui/expression";
import { featureAt, Latest } from "./featurePick";
import { port } from "./port";

/** What was chosen for the dock before: the next one starts with it. */
let chosen: Pick<DockRun, "contact" | "align" | "quarters"> = { contact: null, align: true, quarters: 0 };

const current = (): DockRun | null => {
  const { now } = runningStore.getState();
  return now?.kind === "dock" ? now : null;
};

/** Begin with the grip. */
export function startDock(): void {
  const selection = [...selectionStore.getState().ids];
  run({ kind: "dock", selection, grip: null, feature: null, point: null, ...chosen, quarters: 0 });
}

/** Whether the faces are laid against each other. */
export const isFlat = (now: DockRun): boolean =>
  now.contact ?? (now.grip?.kind === "face" && now.feature?.kind === "face");

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
  const now = current();
  const params = now && paramsOf(now);
  previewStep(now && params ? { tool: "dock", params, selection: now.selection, adjust: false } : null);
}

const same = (a: Feature | null, b: Feature | null): boolean =>
  a?.thing === b?.thing &&
  a?.item === b?.item &&
  a?.kind === b?.kind &&
  a?.index === b?.index &&
  a?.face === b?.face &&
  a?.share === b?.share;

const latest = new Latest(async (x, y, unsnapped) => {
  const now = current();
  if (!now) return;
  const moving = reach(levelStore.getState().scene.things, now.selection);
  const free = now.selection.length === 0;
  const feature = await featureAt(
    x,
    y,
    (id) => (now.grip === null ? free || moving.has(id) : !moving.has(id)),
    unsnapped,
  );
  const later = current();
  if (!later || later.grip !== now.grip) return;
  const point = now.grip ? (pathPoint(x, y) ?? (feature ? null : groundPoint(x, y, unsnapped))) : null;
  const met = point && feature ? null : feature;
  if (same(met, later.feature) && point?.join() === later.point?.join()) return;
  updateRun({ ...later, feature: met, point });
  show();
});

/** The nearest point of a path within reach of the pointer. */
function pathPoint(x: number, y: number): Vector | null {
  let best: Vector | null = null;
  let nearest = 10;
  for (const thing of levelStore.getState().scene.things.values()) {
    if (thing.kind !== "path" || thing.hidden) continue;
    for (const { position } of thing.points) {
      const at = port.seen(position);
      const away = at ? Math.hypot(at.x - x, at.y - y) : Number.POSITIVE_INFINITY;
      if (away < nearest) [best, nearest] = [position, away];
    }
  }
  return best;
}

/** A point of the ground's grid, where there is nothing to land on. */
function groundPoint(x: number, y: number, free: boolean): Vector | null {
  const at = port.ground(x, y);
  if (!at || at.distanceTo(port.camera.position) > port.camera.far) return null;
  const step = levelStore.getState().scene.level?.step ?? 0.5;
  const on = (v: number) => (free ? v : Math.round(v / step) * step);
  return [on(at.x), 0, on(at.z)];
}

export const dockMove = (x: number, y: number, free: boolean): void => latest.move(x, y, free);

/** Take the grip, or land. */
export const dockPress = (x: number, y: number, free: boolean): Promise<void> => latest.press(x, y, free, dockEnter);

export async function dockEnter(): Promise<void> {
  const now = current();
  if (!now) return;
  if (!now.grip) {
    if (!now.feature) return;
    let { selection } = now;
    if (selection.length === 0) {
      // with nothing selected, what is gripped is what moves
      const { things } = levelStore.getState().scene;
      const whole = meant(things, now.feature.thing, viewStore.getState().inside);
      if (!whole || isLocked(things, now.feature.thing)) return;
      selection = [whole];
      select(selection);
    }
    updateRun({ ...now, selection, grip: now.feature, feature: null, point: null });
    return;
  }
  const params = paramsOf(now);
  if (!params) return;
  const result = await takeStep("dock", params, now.selection);
  previewStep(null);
  if (result instanceof Problem) return;
  // the next one can follow at once; Escape leaves
  chosen = { contact: now.contact, align: now.align, quarters: 0 };
  run({ kind: "dock", selection: now.selection, grip: null, feature: null, point: null, ...chosen });
}

/** Back to the grip, or out. */
export function dockBack(): void {
  const now = current();
  previewStep(null);
  if (now?.grip) {
    setTyped("");
    updateRun({ ...now, grip: null, feature: null, point: null });
  } else run(null);
}

/** Keys between the picks. True when the key was used. */
export function dockKey(key: string): boolean {
  const now = current();
  if (!now) return false;
  if (key === "f") updateRun({ ...now, contact: !isFlat(now) });
  else if (key === "q" && isFlat(now)) updateRun({ ...now, quarters: (now.quarters + 1) % 4 });
  else if (key === "e" && isFlat(now)) updateRun({ ...now, align: !now.align });
  else return false;
  show();
  return true;
}

/** A gap that is typed is shown at once. */
runningStore.subscribe((state, before) => {
  if (state.typed !== before.typed && state.now?.kind === "dock") show();
});
