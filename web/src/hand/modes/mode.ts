import type { ComponentType } from "react";
import type { Vector } from "../../api/types";
import type { Scheme } from "../../theme/tokens";

/** Where the pointer is in the viewport, pixels, and the keys that are held with it. */
export interface Spot {
  x: number;
  y: number;
  /** Nothing is snapped to. */
  ctrl: boolean;
  shift: boolean;
  alt: boolean;
}

/** What follows the pointer from a press to its release. */
export interface Press {
  move(at: Spot): void;
  release(at: Spot): void | Promise<void>;
  cancel?(): void;
}

/** What pointer and keys do while one kind of thing runs in the viewport. */
export interface Mode {
  readonly kind: string;
  /** Whether the pointer is a cross. */
  readonly cross?: boolean;
  /** Whether the handles stay in sight. */
  readonly handles?: boolean;
  /** Letters that may be typed over the measure, beside numbers. */
  readonly letters?: RegExp;
  /** The pointer moves, nothing is pressed. */
  move(at: Spot): void;
  /** The main button is pressed. */
  press(at: Spot): Press | null;
  /** A press that began outside of the viewport ends here. */
  drop?(at: Spot): void;
  /** Enter. */
  enter(shift: boolean): void;
  /** Escape: one step back, from the first out. */
  back(): void;
  /** A letter begins something of its own, to be typed on; true when it does. */
  begins?(letter: string): boolean;
  /** A letter, small; true when it was used. */
  key?(letter: string): boolean;
  /** The same while something is pressed. */
  dragKey?(letter: string): boolean;
  /** Words at the pointer: what the next press does, and the measure. */
  readonly Prompt: ComponentType;
  /** Points of the world that the prompt should not cover. */
  clear?(): readonly Vector[];
  /** What is drawn into the level meanwhile. */
  readonly Signs?: ComponentType<{ scheme: Scheme }>;
}
