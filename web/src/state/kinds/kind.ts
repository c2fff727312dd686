import type { Row, Run, Turn, Vector } from "../../api/types";
import type { Scene } from "../level";

/** What is particular to one kind of row, in one place. */
export interface Kind<T extends Row> {
  /** The icon in lists, by name. */
  icon: string;
  /** Where it comes in lists: the lowest first. */
  rank: number;
  /** What is drawn of its items. */
  runs?(scene: Scene, thing: T): readonly Run[];
  /** Points of what is drawn of itself. */
  points?(scene: Scene, thing: T): readonly (readonly number[])[];
  /** What is said beside its name in the list. */
  detail?(scene: Scene, thing: T): string;
  /** Where the handles hold it, and how it is turned; not given where it cannot be held. */
  held?(thing: T): { position: Vector; turn: Turn };
}

/** The turn of what has none. */
export const UNTURNED: Turn = [0, 0, 0, 1];
