import type { Course, LineArray } from "../../api/types";
import type { Scene } from "../level";
import type { Kind } from "./kind";

const NONE: readonly (readonly number[])[] = [];
const items = (scene: Scene, { id }: { id: string }) => scene.items.get(id) ?? NONE;
const count = (scene: Scene, thing: { id: string }): string => String(items(scene, thing).length);

/** A piece repeated in a line. */
export const array: Kind<LineArray> = {
  icon: "columns-3",
  rank: 3,
  poses: items,
  aside: count,
  held: ({ position, turn }) => ({ position, turn }),
};

/** Pieces laid along a path. */
export const course: Kind<Course> = {
  icon: "waypoints",
  rank: 2,
  poses: items,
  aside: count,
};
