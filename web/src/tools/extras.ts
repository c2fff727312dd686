import type { Feature, Params, Row } from "../api/types";

/** A feature that a tool's card asks for in the view as it opens. */
export interface CardPick {
  /** The piece whose features count; null for anything that stands in the level. */
  piece: string | null;
  words: string;
  /** Whether any place on a face may be meant. */
  within?: boolean;
  /** What the tool is told of the feature. */
  params(feature: Feature): Params;
}

/** A card whose tool is drawn in the view: what it says now, to show other values, and to take the step with some. */
export interface CardDrawing {
  params(): Params;
  show(params: Params): void;
  take(params: Params): void;
}

/** What a tool's generated card lacks: what the hand does in the view. */
export interface ToolExtras {
  /** Begin it in the view, instead of by its card. */
  start?(rows: readonly Row[]): void;
  /** What its key does, where that is not to begin it. */
  key?(): void;
  /** Whether its key works with nothing selected, as it is picked in the view. */
  unselected?: boolean;
  pick?(rows: readonly Row[]): CardPick | null;
  /** Draw in the view what the open card describes; returns how to stop. */
  draw?(card: CardDrawing): () => void;
  /** What is done once the step has been taken, or begun, with settings of its card. */
  taken?(params: Params): void;
  /** Values that its card begins with, beside those that were used last. */
  starting?(rows: readonly Row[]): Params;
}
