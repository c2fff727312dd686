import { Vector3 } from "three";
import type { Path } from "../../api/types";
import { length } from "../../ui/lengths";
import { type Kind, UNTURNED } from "./kind";

/** A curve, held by the middle of its points. */
export const path: Kind<Path> = {
  icon: "spline",
  rank: 1,
  points: (scene, { id }) => scene.paths.get(id)?.line ?? [],
  detail: (scene, { id }) => length(scene.paths.get(id)?.length ?? 0, 1),
  held({ points }) {
    const middle = new Vector3();
    for (const { position } of points) middle.add(new Vector3(...position));
    return { position: middle.divideScalar(points.length).toArray(), turn: UNTURNED };
  },
};
