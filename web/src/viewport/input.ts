import type { Vector3 } from "three";
import { previewStep, takeStep } from "../api/steps";
import type { PathPoint, Vector } from "../api/types";
import { levelStore, shown } from "../state/level";
import { openCard, run, runningStore, setTyped, updateRun } from "../state/running";
import { hover, openGroup, type SelectMode, select } from "../state/selection";
import { viewStore } from "../state/view";
import { numbersIn } from "../ui/expression";
import { inBox, thingUnder } from "./boxSelect";
import { dockBack, dockEnter, dockKey, dockMove, dockPress } from "./docking";
import { dragStore } from "./drag";
import { drawBack, drawEnter, drawMove, drawPress, drawRelease } from "./drawing";
import { featureMove, featurePress, standsInLevel } from "./featurePick";
import { type HandleDrag, holdHandle } from "./handleDrag";
import { shiftView, turnView } from "./looking";
import { measureBack, measureMove, measurePress } from "./measuring";
import { dragPath, grabPath } from "./pathDrag";
import { port } from "./port";

interface Drag {
  move(x: number, y: number, free: boolean, centred?: boolean): void;
  finish(event: { x: number; y: number; shift: boolean; ctrl: boolean; alt: boolean }): void | Promise<void>;
  cancel?(): void;
}

const SLOP = 4;
let current: Drag | null = null;
/** A handle that was clicked and not dragged: it waits for a typed number. */
let waiting: HandleDrag | null = null;
let setBox: (box: { x: number; y: number; w: number; h: number } | null) => void = () => undefined;

export const onBox = (listener: typeof setBox): void => {
  setBox = listener;
};

const snapped = (value: number, free: boolean) => {
  const step = levelStore.getState().scene.level?.step ?? 0.5;
  return free ? value : Math.round(value / step) * step;
};

const groundAt = (x: number, y: number, free: boolean): Vector | null => {
  const at = port.surface(x, y);
  return at && [snapped(at.x, free), Math.round(at.y * 1e6) / 1e6, snapped(at.z, free)];
};

/** The place of the selection's handles; kept by the viewport component. */
export const handlePlace: { now: Vector3 | null } = { now: null };

// -- presses --

function lookDrag(kind: "turn" | "shift", x0: number, y0: number): Drag {
  const about = kind === "turn" ? (port.pick(x0, y0)?.point ?? null) : null;
  let [x, y] = [x0, y0];
  return {
    move(px, py) {
      if (kind === "turn") turnView(px - x, py - y, about);
      else shiftView(px - x, py - y);
      [x, y] = [px, py];
    },
    finish: () => undefined,
  };
}

const modeOf = (shift: boolean, ctrl: boolean, alt: boolean): SelectMode =>
  alt ? "remove" : shift ? "add" : ctrl ? "toggle" : "only";

function selectDrag(x0: number, y0: number): Drag {
  let boxed = false;
  return {
    move(x, y) {
      boxed ||= Math.hypot(x - x0, y - y0) > SLOP;
      if (boxed) setBox({ x: Math.min(x, x0), y: Math.min(y, y0), w: Math.abs(x - x0), h: Math.abs(y - y0) });
    },
    finish({ x, y, shift, ctrl, alt }) {
      setBox(null);
      const mode = modeOf(shift, ctrl, alt);
      if (boxed) select(inBox(x0, y0, x, y), mode);
      else {
        const id = thingUnder(x, y);
        if (id || mode === "only") select(id ? [id] : [], id && mode === "add" ? "toggle" : mode);
      }
    },
    cancel: () => setBox(null),
  };
}

function handlePress(handle: string, x0: number, y0: number, place: Vector3): Drag | null {
  const held = holdHandle(handle, x0, y0, place);
  if (!held) return null;
  let moved = false;
  return {
    move(x, y, free, centred) {
      moved ||= Math.hypot(x - x0, y - y0) > SLOP;
      if (moved) held.move(x, y, free, centred);
    },
    finish() {
      if (moved) return held.finish();
      waiting = held;
    },
    cancel: () => held.cancel(),
  };
}

// -- placing and drawing --

async function place(at: Vector, again: boolean): Promise<void> {
  const { now } = runningStore.getState();
  if (now?.kind !== "place") return;
  const piece = now.piece;
  run(again ? { kind: "place", piece, at: null, carried: false } : null);
  await takeStep("place_piece", { position: at, group: viewStore.getState().inside }, [piece]);
}

function pathPlace(x: number, y: number, free: boolean): Vector | null {
  const { now } = runningStore.getState();
  if (now?.kind !== "path") return null;
  if (now.height === null) return groundAt(x, y, free);
  const at = port.ground(x, y, now.height);
  return at && [snapped(at.x, free), now.height, snapped(at.z, free)];
}

function pathPress(x0: number, y0: number, free: boolean): Drag | null {
  const at = pathPlace(x0, y0, free);
  if (!at) return null;
  const point: PathPoint = { position: at };
  return {
    move(x, y, nowFree) {
      const { now } = runningStore.getState();
      if (now?.kind !== "path" || Math.hypot(x - x0, y - y0) < 3 * SLOP) return;
      const to = port.ground(x, y, at[1]);
      if (!to) return;
      const out: Vector = [snapped(to.x, nowFree) - at[0], 0, snapped(to.z, nowFree) - at[2]];
      point.handle_out = out;
      point.handle_in = [-out[0], 0, -out[2]];
      showPath([...now.points, point], null);
    },
    finish() {
      const { now } = runningStore.getState();
      if (now?.kind !== "path") return;
      const before = now.points.at(-1)?.position;
      if (before && before[0] === at[0] && before[2] === at[2]) return finishPath();
      updateRun({ ...now, points: [...now.points, point], height: at[1] });
      showPath([...now.points, point], null);
    },
  };
}

function showPath(points: PathPoint[], hovered: Vector | null): void {
  const all = hovered ? [...points, { position: hovered }] : points;
  const params = { points: all, smooth: true };
  previewStep(all.length > 1 ? { tool: "draw_path", params, selection: [], adjust: false } : null);
}

export async function finishPath(): Promise<void> {
  const { now } = runningStore.getState();
  if (now?.kind !== "path") return;
  run(null);
  if (now.points.length > 1) await takeStep("draw_path", { points: now.points, smooth: true }, []);
  previewStep(null);
}

function drawDrag(x0: number, y0: number, free0: boolean): Drag {
  let moved = false;
  drawPress(x0, y0, free0);
  return {
    move(x, y, free, centred = false) {
      moved ||= Math.hypot(x - x0, y - y0) > SLOP;
      drawMove(x, y, free, centred);
    },
    finish: ({ x, y, ctrl, shift }) => drawRelease(x, y, moved, ctrl, shift),
  };
}

// -- the events --

export function pointerDown(x: number, y: number, event: PointerEvent): boolean {
  if (current) return false;
  const { now } = runningStore.getState();
  if (event.button === 0 && viewStore.getState().mode === "eye" && now === null) current = lookDrag("turn", x, y);
  else if (event.button === 2) current = lookDrag(event.shiftKey ? "shift" : "turn", x, y);
  else if (event.button === 1) current = lookDrag("shift", x, y);
  else if (event.button !== 0) return false;
  else if (waiting) {
    const held = waiting;
    waiting = null;
    void held.finish();
  } else if (now?.kind === "place") {
    current = {
      move: (px, py, free) => updateRun({ ...now, at: groundAt(px, py, free) }),
      finish: (up) => {
        const at = groundAt(up.x, up.y, up.ctrl);
        if (at) return place(at, up.shift);
      },
    };
  } else if (now?.kind === "path") current = pathPress(x, y, event.ctrlKey);
  else if (now?.kind === "draw") current = drawDrag(x, y, event.ctrlKey);
  else if (now?.kind === "pick") {
    current = { move: featureMove, finish: (up) => featurePress(up.x, up.y, up.ctrl) };
  } else if (now?.kind === "dock") {
    current = { move: dockMove, finish: (up) => dockPress(up.x, up.y, up.ctrl) };
  } else if (now?.kind === "measure") {
    current = { move: measureMove, finish: (up) => measurePress(up.x, up.y, up.ctrl) };
  } else {
    // the points of a path lie over its handles
    const grabbed = grabPath(x, y);
    const handle = grabbed ? null : handlePlace.now && port.pickHandle(x, y);
    if (handle && handlePlace.now) current = handlePress(handle, x, y, handlePlace.now);
    else if (grabbed) current = dragPath(grabbed);
    else current = selectDrag(x, y);
  }
  return current !== null;
}

export function pointerMove(x: number, y: number, event: PointerEvent): void {
  runningStore.setState({ pointer: { x: event.clientX, y: event.clientY } });
  if (current) {
    current.move(x, y, event.ctrlKey, event.shiftKey);
    return;
  }
  const { now } = runningStore.getState();
  if (waiting) waiting.move(x, y, event.ctrlKey);
  else if (now?.kind === "place") updateRun({ ...now, at: groundAt(x, y, event.ctrlKey) });
  else if (now?.kind === "draw") drawMove(x, y, event.ctrlKey, event.shiftKey);
  else if (now?.kind === "pick") featureMove(x, y, event.ctrlKey);
  else if (now?.kind === "dock") dockMove(x, y, event.ctrlKey);
  else if (now?.kind === "measure") measureMove(x, y, event.ctrlKey);
  else if (now?.kind === "path") {
    const at = pathPlace(x, y, event.ctrlKey);
    updateRun({ ...now, hover: at });
    if (now.points.length > 0) showPath(now.points, at);
  } else {
    const handle = handlePlace.now ? port.pickHandle(x, y) : null;
    if (port.element) port.element.style.cursor = handle || grabPath(x, y) ? "grab" : "";
    hover(handle ? null : thingUnder(x, y));
  }
}

export function pointerUp(x: number, y: number, event: PointerEvent): void {
  const drag = current;
  current = null;
  const { now } = runningStore.getState();
  if (drag) void drag.finish({ x, y, shift: event.shiftKey, ctrl: event.ctrlKey, alt: event.altKey });
  else if (now?.kind === "place" && now.carried) {
    const at = groundAt(x, y, event.ctrlKey);
    if (at) void place(at, false);
    else run(null);
  }
}

/** Work within the group under the pointer. */
export function doubleClick(x: number, y: number): void {
  if (runningStore.getState().now) return;
  const { things } = shown(levelStore.getState());
  const group = thingUnder(x, y);
  if (!group || things.get(group)?.kind !== "group") return;
  openGroup(group);
  const one = thingUnder(x, y);
  select(one ? [one] : []);
}

export function cancelDrag(): void {
  current?.cancel?.();
  current = null;
}

/** Ask again for what is under the pointer. */
function pointAgain(): void {
  const { now, pointer } = runningStore.getState();
  const box = port.element?.getBoundingClientRect();
  if (!box) return;
  const move = now?.kind === "dock" ? dockMove : now?.kind === "measure" ? measureMove : featureMove;
  move(pointer.x - box.left, pointer.y - box.top, false);
}

/** Keys while something runs. True when the key was used. */
export function runningKey(event: KeyboardEvent): boolean {
  const { now, typed } = runningStore.getState();
  if (!now) return false;
  if (event.key === "Escape") {
    if (typed) setTyped("");
    else if (waiting) {
      waiting.cancel();
      waiting = null;
    } else if (current) cancelDrag();
    else if (now.kind === "draw") drawBack();
    else if (now.kind === "dock") dockBack();
    else if (now.kind === "measure") measureBack();
    else if (now.kind === "path" && now.points.length > 0) {
      const points = now.points.slice(0, -1);
      updateRun({ ...now, points, height: points.length ? now.height : null });
      showPath(points, now.hover);
    } else {
      previewStep(null);
      if (now.kind === "pick" && now.card) openCard(null);
      run(null);
    }
    return true;
  }
  if (event.key === "Enter") {
    const values = numbersIn(typed);
    if (now.kind === "path" && values && values.length >= 2) {
      const height = now.height ?? (values.length > 2 ? (values[1] ?? 0) : 0);
      const at: Vector =
        values.length > 2 ? [values[0] ?? 0, values[1] ?? 0, values[2] ?? 0] : [values[0] ?? 0, height, values[1] ?? 0];
      updateRun({ ...now, points: [...now.points, { position: at }], height: at[1] });
      setTyped("");
      showPath([...now.points, { position: at }], null);
    } else if (now.kind === "path") void finishPath();
    else if (now.kind === "draw") drawEnter();
    else if (now.kind === "dock") void dockEnter();
    else if (now.kind === "place") {
      const at = values
        ? ([
            values[0] ?? 0,
            values.length > 2 ? (values[1] ?? 0) : 0,
            values.at(values.length > 2 ? 2 : 1) ?? 0,
          ] as Vector)
        : now.at;
      if (at) void place(at, event.shiftKey);
    } else if (waiting) {
      const held = waiting;
      waiting = null;
      void held.finish();
    } else if (current && dragStore.getState().handle) {
      const drag = current;
      current = null;
      void drag.finish({ x: 0, y: 0, shift: false, ctrl: false, alt: false });
    }
    return true;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return false;
  if (event.key.toLowerCase() === "p" && standsInLevel(now)) {
    runningStore.setState({ pivots: !runningStore.getState().pivots });
    pointAgain();
    return true;
  }
  if (now.kind === "dock" && dockKey(event.key.toLowerCase())) return true;
  if (event.key === "Backspace") {
    setTyped(typed.slice(0, -1));
    return true;
  }
  if (/^[\d.,;\-+*/()= ]$/.test(event.key) && (typed !== "" || event.key !== " ")) {
    setTyped(typed + event.key);
    return true;
  }
  return false;
}
