import type { ArrayRow, Course, Run } from "../../api/types";
import { itemCount, type Scene } from "../level";
import type { Kind } from "./kind";

const NONE: readonly Run[] = [];
const items = (scene: Scene, { id }: { id: string }) => scene.items.get(id) ?? NONE;
const count = (scene: Scene, { id }: { id: string }): string => String(itemCount(scene, id));

/** A piece repeated in a line. */
export const array: Kind<ArrayRow> = {
  icon: "columns-3",
  rank: 3,
  runs: items,
  detail: count,
  held: ({ position, turn }) => ({ position, turn }),
};

/** Pieces laid along a path. */
export const course: Kind<Course> = {
  icon: "waypoints",
  rank: 2,
  runs: items,
  detail: count,
};
