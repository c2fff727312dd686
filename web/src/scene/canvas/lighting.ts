import { Color, Vector3 } from "three";
import type { Scene } from "../../state/level";
import type { ViewState } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { boxOfAll } from "../pieces/entries";
import { castShadows, fog, scene, sun } from "./renderer";

/** The sun stands here, seen from the middle of the level. */
const FROM = new Vector3(-0.45, 0.75, 0.42).normalize();

/** Paint what is behind everything. */
export function paintGround(scheme: Scheme): void {
  scene.background = new Color(scheme.ground);
  fog.color.set(scheme.ground);
}

/** Let the fog begin well behind what one looks at. */
export function placeFog({ mode, distance }: ViewState): void {
  const eye = mode === "eye";
  fog.near = eye ? 80 : mode === "free" ? distance * 2.5 : 5000;
  fog.far = eye ? 380 : mode === "free" ? distance * 9 + 60 : 9000;
}

/** Place the sun so that its shadows reach over the whole level. */
export function placeSun(level: Scene): void {
  const box = boxOfAll(level);
  const low = box?.low ?? new Vector3(-5, 0, -5);
  const high = box?.high ?? new Vector3(5, 5, 5);
  const centre = low.clone().add(high).multiplyScalar(0.5);
  const reach = Math.max(low.distanceTo(high) / 2, 2);
  sun.position.copy(centre).addScaledVector(FROM, reach + 10);
  sun.target.position.copy(centre);
  const c = sun.shadow.camera;
  [c.left, c.right, c.bottom, c.top, c.near, c.far] = [-reach, reach, -reach, reach, 1, 2 * reach + 20];
  c.updateProjectionMatrix();
  castShadows();
}
