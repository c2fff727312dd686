import { Matrix4, Plane, Quaternion, Vector3 } from "three";
import type { Feature } from "../../api/types";
import { type Axis, axisVector } from "../../scene/axes";
import { dragStore } from "../../state/drag";
import { elementHold } from "../../state/elementHold";
import { elementsNow } from "../../state/elements";
import { isShown, levelStore } from "../../state/level";
import { selectionStore } from "../../state/selection";
import { previewStep, takeStep } from "../../state/steps";
import { lengthNumber } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { DragSession } from "../handles/dragSession";
import { type HandleDrag, handleAxes, handleRuns, number } from "../handles/holding";
import { follow } from "../handles/moveDrag";
import { featureAt, Latest } from "../picking/featurePick";
import { DraggedMesh } from "./dragged";
import { fromPivot, heldElements, inPivotAxes } from "./hold";

const stepNow = (): number => levelStore.getState().scene.level?.step ?? 0.5;
const selection = (): readonly string[] => selectionStore.getState().ids;

/** Pixels within which something is caught. */
const CATCH = 14;

/** Move what is picked along one axis, in a plane of two, or freely in the plane of the screen. Corners, edges and faces of
 * other things catch it; a single vertex that is moved freely lands on them exactly. */
export function movingElements(
  axes: Axis[],
  x: number,
  y: number,
  origin: Vector3,
  anywhere = false,
): HandleDrag | null {
  const held = heldElements();
  if (!held) return null;
  const frame = anywhere ? viewport.camera.quaternion.clone() : handleAxes();
  const lines = axes.map((axis) => axisVector(axis).applyQuaternion(frame));
  const start = follow(lines, origin, x, y) ?? origin.clone();
  const back = frame.clone().invert();
  const by = new Vector3();
  // what goes by the grid in Build goes by tenths of it here
  const step = stepNow() / 10;
  const world = () => by.clone().applyQuaternion(frame);
  const wish = () => {
    const { keepTo, radius } = elementHold.getState();
    const params = { elements: elementsNow(), keep_to: keepTo, radius, by: inPivotAxes(world(), held), out: 0 };
    return by.lengthSq() > 0 ? { tool: "move_elements", params } : null;
  };
  const mesh = new DraggedMesh(held, wish);
  const refresh = () => {
    mesh.show(new Matrix4().makeTranslation(world()));
    const along = axes.map((a) => `${a.toUpperCase()} ${lengthNumber(by[a], 2)}`).join(", ");
    handleRuns.change({ value: anywhere ? lengthNumber(by.length(), 2) : along });
  };
  let caught: Feature | null = null;
  const own = new Set(selection());
  const near = new Latest(async (px, py) => {
    const { things } = levelStore.getState().scene;
    const at = await featureAt(px, py, (id) => isShown(things.get(id)) && !own.has(id));
    if (session.ended || session.typedOver) return;
    const seen = at && at.kind !== "face" ? viewport.seen(at.point) : null;
    const found = at && seen && Math.hypot(seen.x - px, seen.y - py) <= CATCH ? at : null;
    caught = found;
    dragStore.setState({ caught: found && { kind: found.kind, point: found.point } });
    if (!found) return;
    const way = new Vector3(...found.point).sub(origin).applyQuaternion(back);
    if (anywhere) by.copy(way);
    else for (const axis of axes) by[axis] = way[axis];
    refresh();
  });
  const words = anywhere ? "Move freely" : `Move along ${axes.join(" and ").toUpperCase()}`;
  const session = new DragSession({
    prompt: { words, value: "", unit: "m" },
    typed(values) {
      axes.forEach((axis, k) => {
        if (values) by[axis] = values[k] ?? 0;
      });
      refresh();
      return values !== null;
    },
    move(px, py, free) {
      const now = follow(lines, origin, px, py);
      if (!now) return;
      if (free) {
        caught = null;
        dragStore.setState({ caught: null });
      } else {
        // what is held catches where it is itself, not where the hand is
        const there = viewport.seen(origin.clone().add(now).sub(start));
        if (there) near.move(there.x, there.y);
      }
      if (caught) return;
      const way = now.sub(start).applyQuaternion(back);
      for (const axis of axes) by[axis] = free || anywhere ? way[axis] : Math.round(way[axis] / step) * step;
      if (anywhere) by.z = 0;
      refresh();
    },
    async commit() {
      const [grip] = held.vertices;
      const exact = anywhere && caught && !session.typedOver && held.vertices.length === 1;
      if (exact && levelStore.getState().scene.things.get(selection()[0] ?? "")?.kind === "placement") {
        await takeStep("dock_elements", { elements: elementsNow(), grip, landing: caught?.point }, selection());
        return;
      }
      const step = wish();
      if (step) await takeStep(step.tool, step.params, selection());
    },
    clear: () => mesh.end(),
  });
  return session;
}

/** Turn what is picked about an axis. */
export function turningElements(axis: Axis, x: number, y: number, origin: Vector3): HandleDrag | null {
  const held = heldElements();
  if (!held) return null;
  const frame = handleAxes();
  const normal = axisVector(axis).applyQuaternion(frame);
  const plane = new Plane().setFromNormalAndCoplanarPoint(normal, origin);
  const u = axisVector(axis === "x" ? "y" : axis === "y" ? "z" : "x").applyQuaternion(frame);
  const v = normal.clone().cross(u);
  const angleAt = (px: number, py: number): number | null => {
    const met = viewport.ray(px, py).intersectPlane(plane, new Vector3());
    return met && (Math.atan2(met.sub(origin).dot(v), met.dot(u)) * 180) / Math.PI;
  };
  const step = levelStore.getState().scene.level?.turn_step ?? 15;
  let last = angleAt(x, y) ?? 0;
  let raw = 0;
  let angle = 0;
  const wish = () => {
    const { radius, pivot } = elementHold.getState();
    const about = pivot === "each" ? { about_what: "each" } : { about_what: "point", point: fromPivot(origin, held) };
    const params = { elements: elementsNow(), radius, ...about, axis: "way", way: inPivotAxes(normal, held), angle };
    return angle !== 0 ? { tool: "turn_elements", params } : null;
  };
  const mesh = new DraggedMesh(held, wish);
  const refresh = () => {
    const q = new Quaternion().setFromAxisAngle(normal, (angle * Math.PI) / 180);
    const place = new Matrix4()
      .makeTranslation(origin)
      .multiply(new Matrix4().makeRotationFromQuaternion(q))
      .multiply(new Matrix4().makeTranslation(origin.clone().negate()));
    mesh.show(place);
    handleRuns.change({ value: number(angle, 0) });
  };
  return new DragSession({
    prompt: { words: `Turn about ${axis.toUpperCase()}`, value: "0", unit: "°" },
    typed(values) {
      if (values?.[0] !== undefined) {
        angle = values[0];
        refresh();
      }
      return values !== null;
    },
    move(px, py, free) {
      const now = angleAt(px, py);
      if (now === null) return;
      raw += ((now - last + 540) % 360) - 180;
      last = now;
      angle = free ? raw : Math.round(raw / step) * step;
      refresh();
    },
    async commit() {
      const turn = wish();
      if (turn) await takeStep(turn.tool, turn.params, selection());
    },
    clear: () => mesh.end(),
  });
}

/** Pull faces out along where they look, with walls behind them; or faces out of borders. */
export function growing(x: number, y: number, origin: Vector3): HandleDrag | null {
  const held = heldElements();
  if (!held?.normal) return null;
  const line = held.normal.clone();
  const tool = held.kind === "face" ? "extrude" : "pull_edges";
  // metres of the piece for one of the world along the normal
  const scale = new Vector3(...inPivotAxes(line, held)).length();
  const start = follow([line], origin, x, y) ?? origin.clone();
  const step = stepNow() / 10;
  let depth = 0;
  const params = () => ({ elements: elementsNow(), depth });
  const refresh = () => {
    previewStep(depth === 0 ? null : { tool, params: params(), selection: selection(), adjust: false });
    handleRuns.change({ value: lengthNumber(depth, 2) });
  };
  return new DragSession({
    prompt: { words: "Pull out", value: lengthNumber(0, 2), unit: "m" },
    typed(values) {
      if (values?.[0] !== undefined) {
        depth = values[0];
        refresh();
      }
      return values !== null;
    },
    move(px, py, free) {
      const now = follow([line], origin, px, py);
      if (!now) return;
      const way = now.sub(start).dot(line) * scale;
      const next = free ? way : Math.round(way / step) * step;
      if (next === depth) return;
      depth = next;
      refresh();
    },
    async commit() {
      previewStep(null);
      if (depth !== 0) await takeStep(tool, params(), selection());
    },
    clear: () => previewStep(null),
  });
}
