import { runningStore, setTyped } from "../state/running";
import { settingsStore } from "../theme/settings";
import { lookPress } from "./look/lookPress";
import type { Mode, Press, Spot } from "./modes/mode";
import { modeOf } from "./modes/modes";

const [MIDDLE, RIGHT] = [1, 2];

/** What is pressed now. */
let pressed: Press | null = null;

const modeNow = (): Mode | undefined => modeOf(runningStore.getState().now);

const spotOf = (x: number, y: number, event: PointerEvent): Spot => ({
  x,
  y,
  ctrl: event.ctrlKey,
  shift: event.shiftKey,
  alt: event.altKey,
});

/** A button goes down in the viewport; whether what follows is wanted. */
export function pointerDown(x: number, y: number, event: PointerEvent): boolean {
  if (pressed) return false;
  const spot = spotOf(x, y, event);
  const turns = settingsStore.getState().turnButton === "right" ? RIGHT : MIDDLE;
  if (event.button === RIGHT || event.button === MIDDLE)
    pressed = lookPress(event.button !== turns || event.shiftKey ? "shift" : "turn", spot);
  else if (event.button === 0) pressed = modeNow()?.press(spot) ?? null;
  return pressed !== null;
}

export function pointerMove(x: number, y: number, event: PointerEvent): void {
  runningStore.setState({ pointer: { x: event.clientX, y: event.clientY } });
  (pressed ?? modeNow())?.move(spotOf(x, y, event));
}

export function pointerUp(x: number, y: number, event: PointerEvent): void {
  const ended = pressed;
  pressed = null;
  if (ended) void ended.release(spotOf(x, y, event));
  else modeNow()?.drop?.(spotOf(x, y, event));
}

/** The press is over without a release: all is put back. */
export function cancelPress(): void {
  pressed?.cancel?.();
  pressed = null;
}

const NUMBERS = /^[\d.,;\-+*/()= ]$/;

/** What is typed with another letter behind it, where the mode takes it. */
function typedOn(mode: Mode, typed: string, letter: string): string | null {
  if (NUMBERS.test(letter)) return typed === "" && letter === " " ? null : typed + letter;
  const next = typed + letter.toLowerCase();
  return mode.letters?.test(next) ? next : null;
}

/** Keys while the viewport is in the middle of something, or begins it. True when the key was used. */
export function runningKey(event: KeyboardEvent): boolean {
  const { now, typed } = runningStore.getState();
  const mode = modeOf(now);
  if (!mode) return false;
  if (now && event.key === "Escape") {
    if (typed) setTyped("");
    else if (pressed) cancelPress();
    else mode.back();
    return true;
  }
  if (now && event.key === "Enter") {
    // what was pressed is done with: its release must not do it again
    pressed = null;
    mode.enter(event.shiftKey);
    return true;
  }
  if (event.ctrlKey || event.metaKey || event.altKey) return false;
  const letter = event.key.toLowerCase();
  if (!now) {
    if (pressed ? mode.dragKey?.(letter) : mode.key?.(letter)) return true;
    if (event.key.length !== 1 || pressed || !mode.begins?.(letter)) return false;
    const begun = modeNow();
    if (begun) setTyped(typedOn(begun, "", letter) ?? "");
    return true;
  }
  if (mode.key?.(letter)) return true;
  if (event.key === "Backspace") {
    setTyped(typed.slice(0, -1));
    return true;
  }
  const next = event.key.length === 1 ? typedOn(mode, typed, event.key) : null;
  if (next === null) return false;
  setTyped(next);
  return true;
}
