/** How wide the panels beside the view are, and which of them are folded; kept by this browser for the next time. */

import { keep, keptObject } from "./kept";
import { settingsStore, textFactor } from "./settings";

export type Side = "left" | "cards";

export interface Layout {
  left: number;
  cards: number;
  /** Folded, where there is room for all, and where there is little. */
  folded: Record<"wide" | "narrow", Record<Side, boolean>>;
}

/** Pixels of the window below which the panels fold. */
export const ROOMY = 1280;
export const LIMITS: Record<Side, { least: number; most: number; first: number }> = {
  left: { least: 180, most: 420, first: 236 },
  cards: { least: 272, most: 460, first: 304 },
};
const NAME = "layout";

const first: Layout = {
  left: LIMITS.left.first,
  cards: LIMITS.cards.first,
  folded: { wide: { left: false, cards: false }, narrow: { left: true, cards: true } },
};

const size = (value: unknown, side: Side): number => {
  const { least, most, first: otherwise } = LIMITS[side];
  return typeof value === "number" && Number.isFinite(value) ? Math.min(most, Math.max(least, value)) : otherwise;
};

function keptLayout(): Layout {
  const stored = keptObject(NAME) as Partial<Layout>;
  const of = (room: "wide" | "narrow") => ({
    left: stored.folded?.[room]?.left ?? first.folded[room].left,
    cards: stored.folded?.[room]?.cards ?? first.folded[room].cards,
  });
  return {
    left: size(stored.left, "left"),
    cards: size(stored.cards, "cards"),
    folded: { wide: of("wide"), narrow: of("narrow") },
  };
}

let now = keptLayout();
const listeners = new Set<() => void>();

export const layout = (): Layout => now;
const room = (): "wide" | "narrow" => (window.innerWidth < ROOMY ? "narrow" : "wide");
export const isFolded = (side: Side): boolean => now.folded[room()][side];

/** Tell the style sheet. The first picture is drawn with this, too. */
export function applyLayout(): void {
  for (const side of ["left", "cards"] as const) {
    document.documentElement.style.setProperty(
      `--${side}`,
      isFolded(side) ? "0px" : `${Math.round(now[side] * textFactor())}px`,
    );
  }
}

function change(next: Layout): void {
  now = next;
  keep(NAME, JSON.stringify(now));
  notify();
}

function notify(): void {
  applyLayout();
  for (const listener of listeners) listener();
}

/** `to`: pixels, as with text of the usual size. */
export const widen = (side: Side, to: number): void => change({ ...now, [side]: size(Math.round(to), side) });

export function fold(side: Side, folded: boolean): void {
  const here = room();
  change({ ...now, folded: { ...now.folded, [here]: { ...now.folded[here], [side]: folded } } });
}

settingsStore.subscribe(notify);

/** Hear of changes, also when the window becomes wide or narrow; returns how to stop. */
export function onLayout(listener: () => void): () => void {
  if (listeners.size === 0) window.addEventListener("resize", notify);
  listeners.add(listener);
  return () => {
    listeners.delete(listener);
    if (listeners.size === 0) window.removeEventListener("resize", notify);
  };
}
