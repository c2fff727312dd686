import { api, type FaceAt, Problem } from "../api/client";
import { previewStep, takeStep } from "../api/steps";
import type { Params, ShapeValues } from "../api/types";
import { kitStore, rememberShape, settingsOf, shapeInfo } from "../state/kit";
import { levelStore } from "../state/level";
import { type DrawRun, run, runningStore, setTyped, updateRun } from "../state/running";
import { viewStore } from "../state/view";
import { numbersIn } from "../ui/expression";
import { frameOf, groundFrame, plain, pointOf } from "./frame";
import { type Found, provisional, read, type Spot, sound, spotUnder, typedValues } from "./gestures";
import { port } from "./port";

const step = () => levelStore.getState().scene.level?.step ?? 0.5;
const snapper = (free: boolean, unit: number) => (v: number) =>
  free ? v : Number((Math.round(v / unit) * unit).toFixed(9));

const current = (): DrawRun | null => {
  const { now } = runningStore.getState();
  return now?.kind === "draw" ? now : null;
};

/** Begin to draw a shape of a kind with the settings that it had last. */
export function startDrawing(kind: string): void {
  const info = shapeInfo(kind);
  if (!info) return;
  runningStore.setState({ card: null });
  run({
    kind: "draw",
    info,
    shape: settingsOf(info),
    surface: kitStore.getState().surface,
    stage: 0,
    frame: groundFrame(),
    on: null,
    from: null,
    base: [0, 0],
    found: null,
    hover: null,
  });
}

/** Draw the last shape again. */
export const drawAgain = (): void => startDrawing(kitStore.getState().last);

/** The shape as it is now, with later stages hardly there. */
function shapeNow(now: DrawRun): ShapeValues {
  return provisional(now.info, now.stage, { ...now.shape, ...now.found?.values });
}

function paramsOf(now: DrawRun, shape: ShapeValues): Params {
  const [u, v] = now.found?.base ?? now.base;
  const group = viewStore.getState().inside;
  return { shape, surface: now.surface, position: plain(pointOf(now.frame, u, v)), on: now.on, group };
}

function show(now: DrawRun): void {
  const drag = now.info.drags[now.stage];
  const ready = now.found && drag && sound(drag, now.found.values) && (now.stage > 0 || now.from !== null);
  if (ready) previewStep({ tool: "add_shape", params: paramsOf(now, shapeNow(now)), selection: [], adjust: false });
  else if (now.stage === 0) previewStep(null);
}

/** Settings that are no part of the drawing, changed in the card. */
export function changeDrawing(part: Partial<Pick<DrawRun, "shape" | "surface">>): void {
  const now = current();
  if (!now) return;
  const next = { ...now, ...part };
  updateRun(next);
  show(next);
}

/** The plane under the pointer: that of the face there, or the ground. */
async function landOn(x: number, y: number, free: boolean): Promise<void> {
  const hit = port.pick(x, y);
  const { levelId } = levelStore.getState();
  const at: FaceAt | null = hit && { thing: hit.thing, item: hit.item, face: hit.face };
  let frame = groundFrame();
  if (at && levelId) {
    try {
      frame = frameOf(await api.surface(levelId, at));
    } catch {
      return; // what was under the pointer is gone: the press does nothing
    }
  }
  const now = current();
  if (now?.stage !== 0) return;
  const from = spotUnder(frame, port.ray(x, y), port.camera.far, snapper(free, step()));
  if (!from) return;
  const next: DrawRun = { ...now, frame, on: at, from, base: from, found: null };
  if (now.info.drags[0]?.gesture === "point") next.found = { values: {}, base: from };
  updateRun(next);
}

function found(now: DrawRun, x: number, y: number, free: boolean, centred: boolean): Found | null {
  const drag = now.info.drags[now.stage];
  if (!drag) return null;
  const unit = step();
  return read({
    drag,
    frame: now.frame,
    shape: { ...now.shape },
    from: now.from ?? now.base,
    base: now.base,
    ray: port.ray(x, y),
    farthest: port.camera.far,
    centred,
    snap: snapper(free, unit),
    fine: snapper(free, unit / 10),
  });
}

/** The pointer moves, pressed or not. */
export function drawMove(x: number, y: number, free: boolean, centred: boolean): void {
  const now = current();
  if (!now || runningStore.getState().typed) return;
  if (now.stage === 0 && now.from === null) {
    const hit = port.pick(x, y);
    const spot = hit ? null : spotUnder(groundFrame(), port.ray(x, y), port.camera.far, snapper(free, step()));
    updateRun({ ...now, hover: hit ? plain(hit.point) : spot ? [spot[0], 0, spot[1]] : null });
    return;
  }
  if (now.info.drags[now.stage]?.gesture === "pane" && now.from === null) return;
  const next = { ...now, found: found(now, x, y, free, centred) ?? now.found };
  updateRun(next);
  show(next);
}

let landing: Promise<void> = Promise.resolve();

/** A press: it begins the first stage, or the second corner of a pane, and else accepts what is shown. */
export function drawPress(x: number, y: number, free: boolean): void {
  const now = current();
  if (!now) return;
  if (now.stage === 0 && now.from === null) landing = landOn(x, y, free);
  else if (now.info.drags[now.stage]?.gesture === "pane" && now.from === null) {
    const corner = found({ ...now, from: [0, 0] }, x, y, free, false);
    if (corner) {
      const [offset = "", width = "", sill = "", height = ""] = now.info.drags[now.stage]?.sets ?? [];
      const v = corner.values;
      // from [0, 0] the pane reaches to the pointer: its far corner is where the pointer is
      const across = 2 * (v[offset] ?? 0);
      const from: Spot = [across, (v[sill] ?? 0) + (v[height] ?? 0)];
      updateRun({ ...now, from, found: { values: { [width]: 0, [height]: 0 }, base: now.base } });
    }
  }
}

/** The press ends. A drag accepts its stage; a click waits for the next one, unless something is shown already. */
export async function drawRelease(
  x: number,
  y: number,
  moved: boolean,
  free: boolean,
  centred: boolean,
): Promise<void> {
  await landing;
  const now = current();
  if (!now) return;
  const drag = now.info.drags[now.stage];
  if (drag?.gesture === "point" && now.from) return accept(now);
  if (moved || (now.found && drag && sound(drag, now.found.values))) {
    const last = found(now, x, y, free, centred) ?? now.found;
    if (last && drag && sound(drag, last.values)) return accept({ ...now, found: last });
  }
}

/** Take over the stage: on to the next, or make the piece. */
async function accept(now: DrawRun): Promise<void> {
  const shape: ShapeValues = { ...now.shape, ...now.found?.values };
  const base = now.found?.base ?? now.base;
  setTyped("");
  if (now.stage + 1 < now.info.drags.length) {
    const next: DrawRun = { ...now, shape, base, stage: now.stage + 1, from: null, found: null };
    updateRun(next);
    return;
  }
  const { surface } = now;
  rememberShape(shape, surface);
  run(null);
  await takeStep("add_shape", { ...paramsOf({ ...now, base }, shape) }, []);
  previewStep(null);
}

/** Enter: typed numbers are the measures of the stage; without any, what is shown is accepted. */
export function drawEnter(): void {
  const now = current();
  if (!now) return;
  const { typed } = runningStore.getState();
  const drag = now.info.drags[now.stage];
  if (!drag) return;
  if (typed.trim()) {
    const numbers = numbersIn(typed);
    const values = numbers && typedValues(drag, numbers);
    if (!values || !sound(drag, values)) return;
    let base: Spot = now.found?.base ?? now.base;
    if (now.stage === 0 && now.from === null) base = now.hover ? [now.hover[0], now.hover[2]] : [0, 0];
    else if (drag.gesture === "rectangle" && now.from && now.found) {
      // the corner that was pressed stays; the other goes where the numbers say
      const [w = 0, d = 0] = (drag.sets ?? []).map((name) => values[name] ?? 0);
      const toward = (from: number, middle: number) => (middle < from ? -1 : 1);
      base = [
        now.from[0] + (toward(now.from[0], now.found.base[0]) * w) / 2,
        now.from[1] + (toward(now.from[1], now.found.base[1]) * d) / 2,
      ];
    }
    void accept({ ...now, found: { values, base } });
  } else if (now.found && sound(drag, now.found.values)) void accept(now);
}

/** Escape: one stage back; from the first, out. */
export function drawBack(): void {
  const now = current();
  if (!now) return;
  if (now.stage === 0 && now.from === null) {
    previewStep(null);
    run(null);
    return;
  }
  const pane = now.info.drags[now.stage]?.gesture === "pane" && now.from !== null;
  const stage = pane ? now.stage : Math.max(0, now.stage - 1);
  const again = stage === 0;
  const next: DrawRun = { ...now, stage, from: null, found: null, on: again ? null : now.on };
  if (again) next.frame = groundFrame();
  updateRun(next);
  previewStep(null);
}

/** Make the shape as it stands in the card, where one looks; what was wrong with it, or null. */
export async function makeTyped(): Promise<Problem | null> {
  const now = current();
  if (!now) return null;
  previewStep(null);
  const [x, , z] = viewStore.getState().target;
  const snap = snapper(false, step());
  const position = [snap(x), 0, snap(z)];
  const result = await takeStep(
    "add_shape",
    { shape: now.shape, surface: now.surface, position, group: viewStore.getState().inside },
    [],
    true,
  );
  if (result instanceof Problem) return result;
  rememberShape(now.shape, now.surface);
  run(null);
  return null;
}
