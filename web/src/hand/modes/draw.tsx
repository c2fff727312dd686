import { api, Problem } from "../../api/client";
import { shapeInfo } from "../../api/queries";
import type { FaceAt, Params, ShapeInfo, ShapeValues, Vector } from "../../api/types";
import { type Frame, frameOf, groundFrame, plain, pointOf } from "../../scene/frame";
import { Cross } from "../../scene/signs/Signs";
import { kitStore, rememberShape, settingsOf } from "../../state/kit";
import { levelStore, useLevel } from "../../state/level";
import { type Run, run, runningStore, runsOf, setTyped } from "../../state/running";
import { previewStep, takeStep } from "../../state/steps";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { numbersIn } from "../../ui/expression";
import { lengths } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { away, SLOP } from "../picking/selecting";
import { type Found, provisional, read, type Spot, sound, spotUnder, typedValues } from "../shapes/gestures";
import type { Mode, Press } from "./mode";
import { Measure } from "./parts";

/** A shape in the middle of being drawn: which stage sets what, on which plane, and what it has found so far. */
export interface DrawRun extends Run {
  readonly kind: "draw";
  info: ShapeInfo;
  shape: ShapeValues;
  surface: string;
  stage: number;
  frame: Frame;
  on: FaceAt | null;
  from: Spot | null;
  base: Spot;
  found: Found | null;
  hover: Vector | null;
}

export const draws = runsOf<DrawRun>("draw");

const step = () => levelStore.getState().scene.level?.step ?? 0.5;
const snapper = (free: boolean, unit: number) => (v: number) =>
  free ? v : Number((Math.round(v / unit) * unit).toFixed(9));

/** Begin to draw a shape of a kind with the settings that it had last. */
export function startDrawing(kind: string): void {
  const info = shapeInfo(kind);
  if (!info) return;
  runningStore.setState({ card: null });
  draws.begin({
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
  const now = draws.now();
  if (!now) return;
  const next = { ...now, ...part };
  draws.change(next);
  show(next);
}

/** The plane under the pointer: that of the face there, or the ground. */
async function landOn(x: number, y: number, free: boolean): Promise<void> {
  const hit = viewport.pick(x, y);
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
  const now = draws.now();
  if (now?.stage !== 0) return;
  const from = spotUnder(frame, viewport.ray(x, y), viewport.camera.far, snapper(free, step()));
  if (!from) return;
  const next: DrawRun = { ...now, frame, on: at, from, base: from, found: null };
  if (now.info.drags[0]?.gesture === "point") next.found = { values: {}, base: from };
  draws.change(next);
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
    ray: viewport.ray(x, y),
    farthest: viewport.camera.far,
    centred,
    snap: snapper(free, unit),
    fine: snapper(free, unit / 10),
  });
}

/** The pointer moves, pressed or not. */
function move(x: number, y: number, free: boolean, centred: boolean): void {
  const now = draws.now();
  if (!now || runningStore.getState().typed) return;
  if (now.stage === 0 && now.from === null) {
    const hit = viewport.pick(x, y);
    const spot = hit ? null : spotUnder(groundFrame(), viewport.ray(x, y), viewport.camera.far, snapper(free, step()));
    draws.change({ hover: hit ? plain(hit.point) : spot ? [spot[0], 0, spot[1]] : null });
    return;
  }
  if (now.info.drags[now.stage]?.gesture === "pane" && now.from === null) return;
  const next = { ...now, found: found(now, x, y, free, centred) ?? now.found };
  draws.change(next);
  show(next);
}

let landing: Promise<void> = Promise.resolve();

/** A press: it begins the first stage, or the second corner of a pane, and else accepts what is shown. */
function press(x: number, y: number, free: boolean): void {
  const now = draws.now();
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
      draws.change({ from, found: { values: { [width]: 0, [height]: 0 }, base: now.base } });
    }
  }
}

/** The press ends. A drag accepts its stage; a click waits for the next one, unless something is shown already. */
async function release(x: number, y: number, moved: boolean, free: boolean, centred: boolean): Promise<void> {
  await landing;
  const now = draws.now();
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
    draws.change(next);
    return;
  }
  const { surface } = now;
  rememberShape(shape, surface);
  run(null);
  await takeStep("add_shape", { ...paramsOf({ ...now, base }, shape) }, []);
  previewStep(null);
}

/** Enter: typed numbers are the measures of the stage; without any, what is shown is accepted. */
function enter(): void {
  const now = draws.now();
  if (!now) return;
  const { typed } = runningStore.getState();
  const drag = now.info.drags[now.stage];
  if (!drag) return;
  if (typed.trim()) {
    const numbers = numbersIn(typed, () => !drag.per);
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
function back(): void {
  const now = draws.now();
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
  draws.change(next);
  previewStep(null);
}

/** Make the shape as it stands in the card, where one looks; what was wrong with it, or null. */
export async function makeTyped(): Promise<Problem | null> {
  const now = draws.now();
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

/** What the stage measures now, and the size and triangles of the whole. */
function measured(now: DrawRun, note: string): string {
  const values = Object.entries(now.found?.values ?? {});
  if (values.length === 0) return now.hover && now.stage === 0 ? lengths(now.hover, 2) : "";
  const shownValues = values.length > 2 ? values.filter(([name]) => name.startsWith("opening")) : values;
  const numbers = shownValues.map(([, v]) => v);
  const turns = now.info.drags[now.stage]?.per;
  return `${turns ? numbers.map((v) => v.toFixed(2)).join(" × ") : lengths(numbers, 2, " × ")}${note ? ` · ${note}` : ""}`;
}

function Prompt() {
  const now = draws.use();
  const note = useLevel((s) => s.previewNote);
  if (!now) return null;
  return (
    <>
      {now.info.drags[now.stage]?.prompt} <span>or type</span> <Measure>{measured(now, note)}</Measure>
    </>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  const now = draws.use();
  return now?.hover && now.stage === 0 && now.from === null && <Cross at={now.hover} colour={scheme.ochre} />;
}

/** Drawing a shape, stage by stage. */
export const drawMode: Mode = {
  kind: draws.kind,
  cross: true,
  move: ({ x, y, ctrl, shift }) => move(x, y, ctrl, shift),
  press(from): Press {
    let moved = false;
    press(from.x, from.y, from.ctrl);
    return {
      move(at) {
        moved ||= away(at, from) > SLOP;
        move(at.x, at.y, at.ctrl, at.shift);
      },
      release: ({ x, y, ctrl, shift }) => release(x, y, moved, ctrl, shift),
    };
  },
  enter,
  back,
  Prompt,
  Signs,
};
