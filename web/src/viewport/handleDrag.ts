import { Matrix4, Plane, Quaternion, Vector3 } from "three";
import { takeStep } from "../api/steps";
import { aboutParams, axesParams, held, holdStore, setHold } from "../state/hold";
import { levelStore } from "../state/level";
import { run, runningStore, updateRun } from "../state/running";
import { selectionStore } from "../state/selection";
import { carriedWith, reach } from "../state/tree";
import { numbersIn } from "../ui/expression";
import { dragStore } from "./drag";
import { AXES, type Axis, axisVector, handleAxes } from "./Handles";
import { port } from "./port";
import { sizing } from "./sizeDrag";
import { Snapping } from "./snapping";

/** A handle in the hand. `move` follows the pointer; `finish` makes the step; `cancel` puts all back. */
export interface HandleDrag {
  move(x: number, y: number, free: boolean, centred?: boolean): void;
  finish(): Promise<void>;
  cancel(): void;
}

export const number = (value: number, digits: number) => value.toFixed(digits).replace("-", "−");

/** Take hold of a handle by its name at a place of the viewport. */
export function holdHandle(handle: string, x: number, y: number, origin: Vector3): HandleDrag | null {
  const [kind, axes] = handle.split("-") as [string, string | undefined];
  if (!axes) return null;
  dragStore.setState({ handle });
  if (kind === "turn") return turning(axes as Axis, x, y, origin);
  if (kind === "size") return sizing(axes, origin);
  if (kind === "free") return moving(AXES.slice(), x, y, origin, true);
  const some = AXES.filter((axis) => axes.includes(axis));
  return moving(some, x, y, origin);
}

export const heldThings = () => held(levelStore.getState().scene, selectionStore.getState().ids) ?? [];
export const heldIds = () => heldThings().map((t) => t.id);

/** Show everything that is held, moved by a matrix, and what goes along. */
export function show(matrix: Matrix4, along: typeof reach = carriedWith): void {
  const { things } = levelStore.getState().scene;
  const of = new Map([...along(things, heldIds())].map((id) => [id, matrix]));
  dragStore.setState({ now: { of, place: matrix } });
}

export function done(): void {
  dragStore.setState({ now: null, handle: null, caught: null });
  run(null);
}

/** A picked pivot on something that moves goes along. */
function carryPivot(matrix: Matrix4): void {
  const { pivot, feature, point } = holdStore.getState();
  const { things } = levelStore.getState().scene;
  if (pivot !== "picked" || !feature || !reach(things, heldIds()).has(feature.thing)) return;
  setHold({ point: new Vector3(...point).applyMatrix4(matrix).toArray() });
}

const spread = (axes: readonly Axis[], frame: Quaternion): Vector3[] =>
  axes.map((axis) => axisVector(axis).applyQuaternion(frame));

/** Where the pointer's ray is nearest to a line, or meets a plane. */
function follow(lines: readonly Vector3[], origin: Vector3, x: number, y: number): Vector3 | null {
  const ray = port.ray(x, y);
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
  const hit = port.pick(x, y, (id) => !moved.has(id));
  if (hit && hit.normal.y > 0.3) return hit.point;
  const ground = port.ground(x, y, hit ? origin.y : 0);
  return ground && ground.distanceTo(port.camera.position) < port.camera.far ? ground : null;
}

/** What was typed over a measure: values, and whether they are the place itself (after a `=`) or distances. */
function typedMove(typed: string): { values: number[]; absolute: boolean } | null {
  const absolute = typed.startsWith("=");
  const values = numbersIn(absolute ? typed.slice(1) : typed);
  return values && { values, absolute };
}

function moving(axes: Axis[], x: number, y: number, origin: Vector3, ground = false): HandleDrag {
  const hold = holdStore.getState();
  const frame = ground ? new Quaternion() : handleAxes();
  const plain = ground || hold.axes === "world";
  const lines = spread(axes, frame);
  const moved = carriedWith(levelStore.getState().scene.things, heldIds());
  const start = ground ? origin.clone() : (follow(lines, origin, x, y) ?? origin.clone());
  const step = levelStore.getState().scene.level?.step ?? 0.5;
  /** The distances along the axes. */
  const by = new Vector3();
  let typedOver = false;
  const words = ground ? "Drag over the ground" : `Drag along ${axes.join(" and ").toUpperCase()}`;
  const world = () => by.clone().applyQuaternion(frame);
  const matrix = () => new Matrix4().makeTranslation(world());
  /** Where it goes by the grid when nothing is caught. */
  const whole = new Vector3();
  const back = frame.clone().invert();
  const snapping = new Snapping(heldIds(), lines, (to) => {
    if (typedOver) return;
    const local = to ? to.applyQuaternion(back) : whole;
    for (const axis of axes) by[axis] = local[axis];
    refresh();
  });
  const refresh = () => {
    show(matrix());
    const value = axes.map((a) => `${a.toUpperCase()} ${number(by[a], 2)}`).join(", ");
    updateRun({ kind: "drag", words, value, unit: "m" });
  };
  run({ kind: "drag", words, value: "", unit: "m" });
  refresh();
  const stop = runningStore.subscribe(({ typed }) => {
    const found = typedMove(typed);
    typedOver = found !== null;
    if (!found) return;
    snapping.drop();
    axes.forEach((axis, k) => {
      const value = found.values[k];
      by[axis] = value === undefined ? 0 : found.absolute && plain ? value - origin[axis] : value;
    });
    show(matrix());
  });
  return {
    move(px, py, free) {
      if (typedOver) return;
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
    async finish() {
      stop();
      const caught = await snapping.settled();
      const things = heldThings();
      const ids = things.map((t) => t.id);
      if (by.lengthSq() > 0) {
        const one = things.length === 1 ? things[0] : undefined;
        const dock = typedOver ? null : caught;
        carryPivot(matrix());
        if (dock) await takeStep("dock", dock, ids);
        // a single thing is put where it was seen to land, so that it stands exactly on the grid
        else if (
          one &&
          one.kind !== "path" &&
          one.kind !== "measure" &&
          plain &&
          !typedOver &&
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
          const told = ground ? { axes: "world" } : axesParams(hold, ids.length, frame);
          await takeStep("move", { by: by.toArray(), ...told }, ids);
        }
      }
      done();
    },
    cancel() {
      stop();
      snapping.drop();
      done();
    },
  };
}

/** The matrix of a turn about a point. */
function turnAbout(axis: Vector3, degrees: number, point: Vector3): Matrix4 {
  const q = new Quaternion().setFromAxisAngle(axis, (degrees * Math.PI) / 180);
  return new Matrix4()
    .makeTranslation(point)
    .multiply(new Matrix4().makeRotationFromQuaternion(q))
    .multiply(new Matrix4().makeTranslation(point.clone().negate()));
}

function turning(axis: Axis, x: number, y: number, origin: Vector3): HandleDrag {
  const hold = holdStore.getState();
  const frame = handleAxes();
  const normal = axisVector(axis).applyQuaternion(frame);
  const plane = new Plane().setFromNormalAndCoplanarPoint(normal, origin);
  const u = (
    axis === "x" ? new Vector3(0, 1, 0) : axis === "y" ? new Vector3(0, 0, 1) : new Vector3(1, 0, 0)
  ).applyQuaternion(frame);
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
    const place = turnAbout(normal, angle, origin);
    if (hold.pivot !== "each") return show(place);
    const { things } = levelStore.getState().scene;
    const of = new Map(
      heldThings().flatMap((t) => {
        const own = turnAbout(normal, angle, new Vector3(...t.position));
        return [...carriedWith(things, [t.id])].map((id) => [id, own] as const);
      }),
    );
    dragStore.setState({ now: { of, place } });
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
      const ids = heldIds();
      if (angle !== 0) {
        carryPivot(turnAbout(normal, angle, origin));
        const told = { ...axesParams(hold, ids.length, frame), ...aboutParams(hold, ids.length) };
        await takeStep("turn", { angle, axis, ...told }, ids);
      }
      done();
    },
    cancel() {
      stop();
      done();
    },
  };
}
