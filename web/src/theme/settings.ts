/** What a person has chosen for all projects on this machine: how the sheet looks, its units, what the mouse does. */
import { createStore, useStore } from "zustand";
import { keep, keptObject } from "./kept";

export type Size = "small" | "usual" | "large";
export type LengthUnit = "m" | "cm" | "mm";

export interface Settings {
  sheet: "system" | "light" | "night";
  text: Size;
  handles: Size;
  motion: "system" | "less";
  /** In what lengths are shown and typed; what is stored is metres all the same. */
  unit: LengthUnit;
  /** The button that turns the view; the other one of the two shifts it. */
  turnButton: "right" | "middle";
  /** What follows the hand while the view is turned: the level, or the eye. */
  follows: "level" | "eye";
  /** The triangles that a new level may have; null for the project's own number. */
  budget: number | null;
}

export const DEFAULTS: Settings = {
  sheet: "system",
  text: "usual",
  handles: "usual",
  motion: "system",
  unit: "m",
  turnButton: "right",
  follows: "level",
  budget: null,
};

const CHOICES: { [K in keyof Settings]?: readonly Settings[K][] } = {
  sheet: ["system", "light", "night"],
  text: ["small", "usual", "large"],
  handles: ["small", "usual", "large"],
  motion: ["system", "less"],
  unit: ["m", "cm", "mm"],
  turnButton: ["right", "middle"],
  follows: ["level", "eye"],
};

export const MOST_BUDGET = 2_000_000_000;

/** Settings as they can be used, whatever was kept. */
export function validated(stored: Record<string, unknown>): Settings {
  const out: Settings = { ...DEFAULTS };
  for (const [name, choices] of Object.entries(CHOICES)) {
    if ((choices as readonly unknown[]).includes(stored[name])) Object.assign(out, { [name]: stored[name] });
  }
  const { budget } = stored;
  if (Number.isInteger(budget) && Number(budget) >= 1 && Number(budget) <= MOST_BUDGET) out.budget = Number(budget);
  return out;
}

const NAME = "settings";
export const settingsStore = createStore<Settings>(() => validated(keptObject(NAME)));
export const useSettings = <T>(choose: (settings: Settings) => T): T => useStore(settingsStore, choose);

/** Change settings, and keep them for the next time. */
export function setSettings(part: Partial<Settings>): void {
  settingsStore.setState(part);
  keep(NAME, JSON.stringify(settingsStore.getState()));
}

const FACTORS: Record<Size, number> = { small: 0.9, usual: 1, large: 1.15 };
const HANDLES: Record<Size, number> = { small: 0.75, usual: 1, large: 1.35 };

/** How much larger than usual text, and the panels with it, are. */
export const textFactor = (): number => FACTORS[settingsStore.getState().text];
/** How much larger than usual handles are. */
export const handleFactor = (): number => HANDLES[settingsStore.getState().handles];

const darkSystem = () => window.matchMedia("(prefers-color-scheme: dark)");
const stillSystem = () => window.matchMedia("(prefers-reduced-motion: reduce)");

export function isNight(): boolean {
  const { sheet } = settingsStore.getState();
  return sheet === "system" ? darkSystem().matches : sheet === "night";
}

export const lessMotion = (): boolean => settingsStore.getState().motion === "less" || stillSystem().matches;

/** Hear of changes of night and day; returns how to stop. */
export function onNight(listener: () => void): () => void {
  const query = darkSystem();
  query.addEventListener("change", listener);
  const stop = settingsStore.subscribe(listener);
  return () => {
    query.removeEventListener("change", listener);
    stop();
  };
}

/** Have the style sheet follow the settings, from now on. */
export function applySettings(): void {
  const { dataset, style } = document.documentElement;
  const apply = () => {
    dataset.sheet = settingsStore.getState().sheet;
    dataset.motion = lessMotion() ? "less" : "all";
    style.setProperty("--text", String(textFactor()));
  };
  apply();
  settingsStore.subscribe(apply);
  stillSystem().addEventListener("change", apply);
  // another page of this browser has changed them
  window.addEventListener("storage", (event) => {
    if (event.key === `able-brick ${NAME}`) settingsStore.setState(validated(keptObject(NAME)));
  });
}
