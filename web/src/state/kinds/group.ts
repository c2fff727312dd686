import type { Group } from "../../api/types";
import { insideOf } from "../tree";
import type { Kind } from "./kind";

/** Things that are moved as one, held by the group's own pivot. */
export const group: Kind<Group> = {
  icon: "group",
  rank: 0,
  detail: (scene, { id }) => String(insideOf(scene.things, id).length),
  held: ({ position, turn }) => ({ position, turn }),
};
