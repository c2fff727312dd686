import { Matrix4, Plane, Quaternion, Vector3 } from "three";
import { AXES, type Axis, axisVector } from "../../scene/axes";
import { axesParams, handleStore } from "../../state/handles";
import { levelStore } from "../../state/level";
import { takeStep } from "../../state/steps";
import { goingAlong } from "../../state/tree";
import { numbersIn } from "../../ui/expression";
import { lengthNumber } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { DragSession } from "./dragSession";
import { type HandleDrag, handleAxes, handleRuns, heldIds, heldThings, show, takePivotAlong } from "./holding";
import { Snapping } from "./snapping";

const directions = (axes: readonly Axis[], frame: Quaternion): Vector3[] =>
  axes.map((axis) => axisVector(axis).applyQuaternion(frame));

/** Where the pointer's ray is nearest to a line, or meets a plane. */
export function follow(lines: readonly Vector3[], origin: Vector3, x: number, y: number): Vector3 | null {
  const ray = viewport.ray(x, y);
  const [line = new Vector3(1, 0, 0), other] = lines;
  if (other) {
    const normal = line.clone().cross(other).normalize();
    return ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal, origin), new Vector3());
  }
  const across = ray.direction.clone().cross(line);
  const normal = line.clone().cross(across);
  if (normal.lengthSq() < 1e-6) return null;
  const met = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal.normalize(), origin), new Vector3());
  return met && line.clone().multiplyScalar(met.sub(origin).dot(line)).add(origin);
}

/** Where a free drag leads: over what stands under the pointer, or over the ground. */
function followGround(x: number, y: number, origin: Vector3, moved: ReadonlySet<string>): Vector3 | null {
  const hit = viewport.pick(x, y, (id) => !moved.has(id));
  if (hit && hit.normal.y > 0.3) return hit.point;
  const ground = viewport.ground(x, y, hit ? origin.y : 0);
  return ground && ground.distanceTo(viewport.camera.position) < viewport.camera.far ? ground : null;
}

/** What was typed over a measure: values, and whether they are the place itself (after `to`) or distances. */
function typedMove(typed: string): { values: number[]; absolute: boolean } | null {
  const values = numbersIn(typed.replace(/^to?/, ""));
  return values && { values, absolute: typed.startsWith("t") };
}

/** Move along one axis, in a plane of two, or over the ground. */
export function moving(axes: Axis[], x: number, y: number, origin: Vector3, ground = false): HandleDrag {
  const hold = handleStore.getState();
  const frame = ground ? new Quaternion() : handleAxes();
  const plain = ground || hold.axes === "world";
  const lines = directions(axes, frame);
  const moved = goingAlong(levelStore.getState().scene.things, heldIds());
  const start = ground ? origin.clone() : (follow(lines, origin, x, y) ?? origin.clone());
  const step = levelStore.getState().scene.level?.step ?? 0.5;
  /** The distances along the axes. */
  const by = new Vector3();
  const words = ground ? "Move over the ground" : `Move along ${axes.join(" and ").toUpperCase()}`;
  const world = () => by.clone().applyQuaternion(frame);
  const matrix = () => new Matrix4().makeTranslation(world());
  /** Where it goes by the grid when nothing is caught. */
  const whole = new Vector3();
  const back = frame.clone().invert();
  const snapping = new Snapping(heldIds(), lines, (to) => {
    if (session.typedOver) return;
    const local = to ? to.applyQuaternion(back) : whole;
    for (const axis of axes) by[axis] = local[axis];
    refresh();
  });
  const refresh = () => {
    show(matrix());
    const value = axes.map((a) => `${a.toUpperCase()} ${lengthNumber(by[a], 2)}`).join(", ");
    handleRuns.change({ value });
  };
  const session = new DragSession({
    prompt: { words, value: "", unit: "m", also: "to 5" },
    typed(_, text) {
      const found = typedMove(text);
      if (!found) return false;
      snapping.drop();
      axes.forEach((axis, k) => {
        const value = found.values[k];
        by[axis] = value === undefined ? 0 : found.absolute && plain ? value - origin[axis] : value;
      });
      show(matrix());
      return true;
    },
    move(px, py, free) {
      const now = ground ? followGround(px, py, origin, moved) : follow(lines, origin, px, py);
      if (!now) return;
      const way = now.clone().sub(start).applyQuaternion(back);
      const raw = new Vector3();
      for (const axis of axes) {
        // on the world's axes things land on the grid, on others they go by whole steps
        const from = plain ? origin[axis] : 0;
        const to = from + way[axis];
        raw[axis] = way[axis];
        whole[axis] = (free || (ground && axis === "y") ? to : Math.round(to / step) * step) - from;
        if (free || !snapping.holds) by[axis] = whole[axis];
      }
      refresh();
      if (free) snapping.drop();
      else {
        const to = raw.applyQuaternion(frame);
        snapping.ask(to, origin.clone().add(to));
      }
    },
    async commit(copy) {
      const caught = await snapping.settled();
      const things = heldThings();
      const ids = things.map((t) => t.id);
      if (by.lengthSq() > 0) {
        const one = things.length === 1 ? things[0] : undefined;
        const dock = session.typedOver ? null : caught;
        const axesOf = ground ? { axes: "world" } : axesParams(hold, ids.length, frame);
        if (copy) {
          await takeStep("stepped_copies", { count: 1, offset: by.toArray(), ...axesOf }, ids);
          return;
        }
        takePivotAlong(matrix());
        if (dock) await takeStep("dock", dock, ids);
        // a single thing is put where it was seen to land, so that it stands exactly on the grid
        else if (
          one &&
          one.kind !== "path" &&
          one.kind !== "measure" &&
          plain &&
          !session.typedOver &&
          hold.pivot === "middle"
        ) {
          const to = one.position.map((v, k) => {
            const axis = AXES[k] as Axis;
            const sum = v + by[axis];
            const near = Math.round(sum / step) * step;
            return Math.abs(near - sum) < 1e-9 ? near : sum;
          });
          await takeStep("set_pose", { position: to }, ids);
        } else {
          await takeStep("move", { by: by.toArray(), ...axesOf }, ids);
        }
      }
    },
    clear: () => snapping.drop(),
  });
  refresh();
  return session;
}
