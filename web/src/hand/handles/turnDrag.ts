import { Matrix4, Plane, Quaternion, Vector3 } from "three";
import { AXES, type Axis, axisVector } from "../../scene/axes";
import { aboutParams, axesParams, handleStore } from "../../state/handles";
import { levelStore } from "../../state/level";
import { takeStep } from "../../state/steps";
import { viewport } from "../../viewport/controller";
import { DragSession } from "./dragSession";
import { type HandleDrag, handleAxes, handleRuns, heldIds, number, show, showEach, takePivotAlong } from "./holding";

/** The matrix of a turn about a point. */
function turnAbout(axis: Vector3, degrees: number, point: Vector3): Matrix4 {
  const q = new Quaternion().setFromAxisAngle(axis, (degrees * Math.PI) / 180);
  return new Matrix4()
    .makeTranslation(point)
    .multiply(new Matrix4().makeRotationFromQuaternion(q))
    .multiply(new Matrix4().makeTranslation(point.clone().negate()));
}

/** Turn about an axis. */
export function turning(axis: Axis, x: number, y: number, origin: Vector3): HandleDrag {
  const hold = handleStore.getState();
  const frame = handleAxes();
  const normal = axisVector(axis).applyQuaternion(frame);
  const plane = new Plane().setFromNormalAndCoplanarPoint(normal, origin);
  const u = (
    axis === "x" ? new Vector3(0, 1, 0) : axis === "y" ? new Vector3(0, 0, 1) : new Vector3(1, 0, 0)
  ).applyQuaternion(frame);
  const v = normal.clone().cross(u);
  const angleAt = (px: number, py: number): number | null => {
    const met = viewport.ray(px, py).intersectPlane(plane, new Vector3());
    if (!met) return null;
    met.sub(origin);
    return (Math.atan2(met.dot(v), met.dot(u)) * 180) / Math.PI;
  };
  const start = angleAt(x, y) ?? 0;
  const step = levelStore.getState().scene.level?.turn_step ?? 15;
  const words = `Turn about ${axis.toUpperCase()}`;
  let angle = 0;
  let last = start;
  let raw = 0;
  const refresh = () => {
    const place = turnAbout(normal, angle, origin);
    if (hold.pivot !== "each") return show(place);
    showEach((at) => turnAbout(normal, angle, at), place);
  };
  return new DragSession({
    prompt: { words, value: "0", unit: "°" },
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
      handleRuns.change({ value: number(angle, free ? 1 : 0) });
    },
    async commit(copy) {
      const ids = heldIds();
      if (angle !== 0) {
        const about = { ...axesParams(hold, ids.length, frame), ...aboutParams(hold, ids.length) };
        if (copy) {
          const turn = AXES.map((a) => (a === axis ? angle : 0));
          await takeStep("stepped_copies", { count: 1, turn, ...about }, ids);
          return;
        }
        takePivotAlong(turnAbout(normal, angle, origin));
        await takeStep("turn", { angle, axis, ...about }, ids);
      }
    },
  });
}
