import { Vector3 } from "three";
import type { Vector } from "../api/types";
import { someWayBefore, standAt, walk } from "../hand/look/walk";
import { boxOfPicked } from "../scene/elements/boxOfPicked";
import { type Box, boxAboutPivot, boxOf, boxOfAll } from "../scene/pieces/entries";
import { levelStore, shown } from "../state/level";
import { selectionStore } from "../state/selection";
import { FIELD_OF_VIEW, inPerspective, setView, type ViewMode, type ViewState, viewStore } from "../state/view";
import { lessMotion } from "../theme/settings";
import { eyeDirection, viewport, viewTurn } from "./controller";

/** How long the view takes from one place to another, milliseconds. */
const TAKES = 240;

type Place = Pick<ViewState, "mode" | "target" | "yaw" | "pitch" | "distance">;

/** Yaw and pitch of a way of looking. */
function directionOf(mode: ViewMode, view: Pick<ViewState, "yaw" | "pitch">): [number, number] {
  if (mode === "plan") return [0, Math.PI / 2 - 0.001];
  if (mode === "front") return [0, 0];
  if (mode === "side") return [Math.PI / 2, 0];
  return [view.yaw, view.pitch];
}

export function turnView(dx: number, dy: number, about: Vector3 | null): void {
  const view = viewStore.getState();
  endTransition();
  if (view.mode === "eye") {
    // a player turns the head: the way that the hand goes
    const up = Math.min(1.4, Math.max(-1.4, view.pitch + dy * 0.004));
    setView({ yaw: view.yaw - dx * 0.004, pitch: up });
    return;
  }
  const [yaw0, pitch0] = directionOf(view.mode, view);
  const yaw = yaw0 - dx * 0.007;
  const pitch = Math.min(Math.PI / 2 - 0.001, Math.max(-1.4, pitch0 + dy * 0.007));
  const target = new Vector3(...view.target);
  if (about) {
    const turned = viewTurn(yaw, pitch).multiply(viewTurn(yaw0, pitch0).invert());
    target.sub(about).applyQuaternion(turned).add(about);
  }
  setView({ mode: "free", yaw, pitch, target: target.toArray() });
}

export function shiftView(dx: number, dy: number): void {
  const view = viewStore.getState();
  endTransition();
  if (view.mode === "eye") {
    turnView(dx, dy, null);
    return;
  }
  const scale = viewport.metresPerPixel(new Vector3(...view.target), view);
  const right = new Vector3().setFromMatrixColumn(viewport.camera.matrixWorld, 0);
  const up = new Vector3().setFromMatrixColumn(viewport.camera.matrixWorld, 1);
  const target = new Vector3(...view.target).addScaledVector(right, -dx * scale).addScaledVector(up, dy * scale);
  setView({ target: target.toArray() });
}

export function zoomView(factor: number, x: number, y: number): void {
  endTransition();
  const view = viewStore.getState();
  if (view.mode === "eye") {
    walk(factor < 1 ? 0.5 : -0.5);
    return;
  }
  const distance = Math.min(20_000, Math.max(0.2, view.distance * factor));
  const k = distance / view.distance;
  const toward = viewport.pick(x, y)?.point ?? viewport.ground(x, y, view.target[1]);
  const target = new Vector3(...view.target);
  if (toward && toward.distanceTo(target) < view.distance * 4) target.lerp(toward, 1 - k);
  setView({ distance, target: target.toArray() });
}

// -- from one view to another --

let going: { to: Place; frame: number } | null = null;

/** Be there at once: whatever is pressed skips the way. */
export function endTransition(): void {
  if (!going) return;
  cancelAnimationFrame(going.frame);
  const { to } = going;
  going = null;
  setView(to);
}

/** Go to a place smoothly; at once where motion is not wanted. */
function transition(to: Place): void {
  if (lessMotion()) {
    setView(to);
    return;
  }
  const from = viewStore.getState();
  const [yaw0, pitch0] = directionOf(from.mode, from);
  const [yaw1, pitch1] = directionOf(to.mode, to);
  const turn = ((((yaw1 - yaw0 + Math.PI) % (2 * Math.PI)) + 2 * Math.PI) % (2 * Math.PI)) - Math.PI;
  const [a, b] = [eyeOf(from), new Vector3(...to.target)];
  const started = performance.now();
  const step = () => {
    const t = Math.min(1, (performance.now() - started) / TAKES);
    const k = t * t * (3 - 2 * t);
    if (t >= 1) {
      endTransition();
      return;
    }
    setView({
      mode: "free",
      yaw: yaw0 + turn * k,
      pitch: pitch0 + (pitch1 - pitch0) * k,
      distance: a.distance + (to.distance - a.distance) * k,
      target: a.target.clone().lerp(b, k).toArray(),
    });
    going = { to, frame: requestAnimationFrame(step) };
  };
  going = { to, frame: requestAnimationFrame(step) };
}

/** A view as a target and a distance: the eye of a player looks at what is just before it. */
function eyeOf(view: ViewState): { target: Vector3; distance: number } {
  const target = new Vector3(...view.target);
  if (view.mode !== "eye") return { target, distance: view.distance };
  return { target: target.addScaledVector(eyeDirection(view), -1), distance: 1 };
}

/** Look another way: freely, along an axis, or with the eyes of a player. */
export function lookBy(mode: ViewMode): void {
  endTransition();
  const view = viewStore.getState();
  if (mode === view.mode) return;
  if (mode === "eye") {
    const feet = groundBefore();
    const [yaw] = directionOf(view.mode === "plan" ? "free" : view.mode, view);
    const at = standAt(feet);
    const target: Vector = [at.x, at.y + view.body.eye, at.z];
    transition({ mode, target, yaw, pitch: 0, distance: 0.5 });
    return;
  }
  if (view.mode === "eye") {
    const target = new Vector3(...view.target).addScaledVector(eyeDirection(view), -6).toArray();
    setView({ mode: "free", target, distance: 6 });
  }
  const { target, yaw, pitch, distance } = viewStore.getState();
  transition({ mode, target, yaw, pitch, distance });
}

/** Where a player would stand: on what is seen in the middle of the view, or some way before it where that is a wall. */
function groundBefore(): Vector3 {
  const hit = viewport.pick(viewport.width / 2, viewport.height / 2);
  if (hit && hit.normal.y > 0.5) return hit.point;
  const view = viewStore.getState();
  const at = hit
    ? someWayBefore(hit.point, viewport.camera.position)
    : (viewport.ground(viewport.width / 2, viewport.height / 2) ?? new Vector3(...view.target));
  return at.setY(viewport.floorUnder(at.clone().setY(at.y + 0.5)) ?? Math.max(0, at.y));
}

/** The box round what is picked of the open piece, round the selection, or round everything. */
export function boxToLookAt(all: boolean): Box | null {
  const picked = all ? null : boxOfPicked();
  if (picked) return picked;
  const scene = shown(levelStore.getState());
  const { ids } = selectionStore.getState();
  if (all || ids.length === 0) return boxOfAll(scene);
  // a piece that stands nowhere lies on its sheet
  const lone = scene.pieces.get(ids[0] ?? "");
  return boxOf(scene, ids) ?? (lone ? boxAboutPivot(lone) : null);
}

/** Look at a box from where one looks already, as near as the whole of it is seen; smoothly, unless at once. */
export function lookAtBox({ low, high }: Box, atOnce = false): void {
  endTransition();
  const view = viewStore.getState();
  // the view may have changed since it was drawn last
  viewport.aim(view);
  const centre = low.clone().add(high).multiplyScalar(0.5);
  const toEye = eyeDirection(view);
  const right = new Vector3().setFromMatrixColumn(viewport.camera.matrixWorld, 0);
  const up = new Vector3().setFromMatrixColumn(viewport.camera.matrixWorld, 1);
  const tangent = Math.tan((FIELD_OF_VIEW * Math.PI) / 360);
  let distance = 0.3;
  for (let k = 0; k < 8; k++) {
    const corner = new Vector3(k & 1 ? high.x : low.x, k & 2 ? high.y : low.y, k & 4 ? high.z : low.z).sub(centre);
    const wide = Math.max(Math.abs(corner.dot(right)) / (viewport.width / viewport.height), Math.abs(corner.dot(up)));
    distance = Math.max(distance, (1.2 * wide) / tangent + (inPerspective(view.mode) ? corner.dot(toEye) : 0));
  }
  const mode = view.mode === "eye" ? "free" : view.mode;
  const place: Place = { mode, target: centre.toArray(), distance, yaw: view.yaw, pitch: view.pitch };
  if (atOnce) setView(place);
  else transition(place);
}

/** Look at the selection, or at everything. */
export function look(all: boolean): void {
  const box = boxToLookAt(all);
  if (box) lookAtBox(box);
}
