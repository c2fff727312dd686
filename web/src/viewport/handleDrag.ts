import { Matrix4, Plane, Quaternion, Vector3 } from "three";
import { takeStep } from "../api/steps";
import type { Vector } from "../api/types";
import { isStanding, levelStore } from "../state/level";
import { run, runningStore, updateRun } from "../state/running";
import { selectionStore } from "../state/selection";
import { numbersIn } from "../ui/expression";
import { dragStore } from "./drag";
import { AXES, type Axis, axisVector } from "./Handles";
import { port } from "./port";

/** A handle in the hand. `move` follows the pointer; `finish` makes the step; `cancel` puts all back. */
export interface HandleDrag {
  move(x: number, y: number, free: boolean): void;
  finish(): Promise<void>;
  cancel(): void;
}

const number = (value: number, digits: number) => value.toFixed(digits).replace("-", "−");

/** Take hold of a handle by its name at a place of the viewport. */
export function holdHandle(handle: string, x: number, y: number, origin: Vector3): HandleDrag | null {
  const [kind, axes] = handle.split("-") as [string, string | undefined];
  if (!axes) return null;
  dragStore.setState({ handle });
  if (kind === "turn") return turning(axes as Axis, x, y, origin);
  const free = AXES.filter((axis) => axes.includes(axis));
  return moving(free, x, y, origin);
}

function selectedThings() {
  const { things } = levelStore.getState().scene;
  return selectionStore
    .getState()
    .ids.map((id) => things.get(id))
    .filter(isStanding);
}

function show(matrix: Matrix4 | null): void {
  dragStore.setState({ now: matrix && { ids: new Set(selectedThings().map((t) => t.id)), matrix } });
}

function done(): void {
  show(null);
  dragStore.setState({ handle: null });
  run(null);
}

/** Where the pointer's ray is nearest to a line, or meets a plane. */
function follow(axes: Axis[], origin: Vector3, x: number, y: number): Vector3 | null {
  const ray = port.ray(x, y);
  if (axes.length === 2) {
    const normal = axisVector(AXES.find((a) => !axes.includes(a)) as Axis);
    return ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal, origin), new Vector3());
  }
  const line = axisVector(axes[0] as Axis);
  const across = ray.direction.clone().cross(line);
  const normal = line.clone().cross(across);
  if (normal.lengthSq() < 1e-6) return null;
  const met = ray.intersectPlane(new Plane().setFromNormalAndCoplanarPoint(normal.normalize(), origin), new Vector3());
  return met && line.clone().multiplyScalar(met.sub(origin).dot(line)).add(origin);
}

function moving(axes: Axis[], x: number, y: number, origin: Vector3): HandleDrag {
  const start = follow(axes, origin, x, y) ?? origin.clone();
  const step = levelStore.getState().scene.level?.step ?? 0.5;
  const by = new Vector3();
  let typedOver = false;
  const words = `Drag along ${axes.join(" and ").toUpperCase()}`;
  const refresh = () => {
    show(new Matrix4().makeTranslation(by.x, by.y, by.z));
    const value = axes.map((a) => `${a.toUpperCase()} ${number(by[a], 2)}`).join(", ");
    updateRun({ kind: "drag", words, value, unit: "m" });
  };
  run({ kind: "drag", words, value: "", unit: "m" });
  refresh();
  const stop = runningStore.subscribe(({ typed }) => {
    const values = numbersIn(typed);
    typedOver = values !== null;
    if (values) {
      axes.forEach((axis, k) => {
        by[axis] = values[k] ?? 0;
      });
      show(new Matrix4().makeTranslation(by.x, by.y, by.z));
    }
  });
  return {
    move(px, py, free) {
      if (typedOver) return;
      const now = follow(axes, origin, px, py);
      if (!now) return;
      for (const axis of axes) {
        const to = origin[axis] + now[axis] - start[axis];
        by[axis] = (free ? to : Math.round(to / step) * step) - origin[axis];
      }
      refresh();
    },
    async finish() {
      stop();
      const things = selectedThings();
      const ids = things.map((t) => t.id);
      if (by.lengthSq() > 0) {
        const one = things.length === 1 ? things[0] : undefined;
        // a single thing is put where it was seen to land, so that it stands exactly on the grid
        if (one && !typedOver) {
          const to = (one.position as Vector).map((v, k) => {
            const axis = AXES[k] as Axis;
            const sum = v + by[axis];
            const near = Math.round(sum / step) * step;
            return Math.abs(near - sum) < 1e-9 ? near : sum;
          });
          await takeStep("set_pose", { position: to }, ids);
        } else await takeStep("move", { by: by.toArray() }, ids);
      }
      done();
    },
    cancel() {
      stop();
      done();
    },
  };
}

function turning(axis: Axis, x: number, y: number, origin: Vector3): HandleDrag {
  const normal = axisVector(axis);
  const plane = new Plane().setFromNormalAndCoplanarPoint(normal, origin);
  const u = axis === "x" ? new Vector3(0, 1, 0) : axis === "y" ? new Vector3(0, 0, 1) : new Vector3(1, 0, 0);
  const v = normal.clone().cross(u);
  const angleAt = (px: number, py: number): number | null => {
    const met = port.ray(px, py).intersectPlane(plane, new Vector3());
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
  let typedOver = false;
  const refresh = () => {
    const q = new Quaternion().setFromAxisAngle(normal, (angle * Math.PI) / 180);
    show(
      new Matrix4()
        .makeTranslation(origin.x, origin.y, origin.z)
        .multiply(new Matrix4().makeRotationFromQuaternion(q))
        .multiply(new Matrix4().makeTranslation(-origin.x, -origin.y, -origin.z)),
    );
  };
  run({ kind: "drag", words, value: "0", unit: "°" });
  const stop = runningStore.subscribe(({ typed }) => {
    const values = numbersIn(typed);
    typedOver = values !== null;
    if (values?.[0] !== undefined) {
      angle = values[0];
      refresh();
    }
  });
  return {
    move(px, py, free) {
      const now = angleAt(px, py);
      if (now === null || typedOver) return;
      raw += ((now - last + 540) % 360) - 180;
      last = now;
      angle = free ? raw : Math.round(raw / step) * step;
      refresh();
      updateRun({ kind: "drag", words, value: number(angle, free ? 1 : 0), unit: "°" });
    },
    async finish() {
      stop();
      const ids = selectedThings().map((t) => t.id);
      if (angle !== 0) {
        await takeStep("turn", { angle, axis, about_what: ids.length > 1 ? "middle" : "own pivot" }, ids);
      }
      done();
    },
    cancel() {
      stop();
      done();
    },
  };
}
