import { type Matrix4, type Quaternion, Vector3 } from "three";
import { dragStore } from "../../state/drag";
import { axesOf, handleStore, held, pivotOf, setHandles } from "../../state/handles";
import { levelStore } from "../../state/level";
import { type Run, runsOf } from "../../state/running";
import { selectionStore } from "../../state/selection";
import { goingAlong, reach } from "../../state/tree";
import { viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";
import { elementAxes, elementPlace } from "../elements/hold";

/** A handle in the hand. `move` follows the pointer; `finish` makes the step; `cancel` puts all back. */
export interface HandleDrag {
  move(x: number, y: number, free: boolean, centred?: boolean): void;
  /** `copy`: what is held stays, and a copy goes. */
  finish(copy?: boolean): Promise<void>;
  cancel(): void;
}

/** A handle that is dragged, or whose measure is typed: what it does, and how far. */
export interface HandleRun extends Run {
  readonly kind: "handle";
  words: string;
  value: string;
  /** Metres are shown and typed in the unit that a person has chosen. */
  unit: string;
  /** What may be typed instead of a difference. */
  also?: string;
}

export const handleRuns = runsOf<HandleRun>("handle");

export const number = (value: number, digits: number) => value.toFixed(digits).replace("-", "−");

export const heldThings = () => held(levelStore.getState().scene, selectionStore.getState().ids) ?? [];
export const heldIds = () => heldThings().map((t) => t.id);

/** Where the handles stand; null where there are none. */
export function handlePlace(): Vector3 | null {
  if (viewStore.getState().stage === "shape") return elementPlace();
  return pivotOf(levelStore.getState().scene, selectionStore.getState().ids, handleStore.getState());
}

/** The axes of the handles now; those of a drag stay as they were when it began. */
export function handleAxes(): Quaternion {
  if (viewStore.getState().stage === "shape") return elementAxes();
  const { ids } = selectionStore.getState();
  return axesOf(levelStore.getState().scene, ids, handleStore.getState(), viewport.camera.quaternion);
}

/** Show everything that is held, moved by a matrix, and what goes along. */
export function show(matrix: Matrix4, along: typeof reach = goingAlong): void {
  const { things } = levelStore.getState().scene;
  const of = new Map([...along(things, heldIds())].map((id) => [id, matrix]));
  dragStore.setState({ now: { of, place: matrix } });
}

/** Show each thing that is held moved by a matrix of its own; the handles go by `place`. */
export function showEach(matrixOf: (position: Vector3) => Matrix4, place: Matrix4): void {
  const { things } = levelStore.getState().scene;
  const of = new Map(
    heldThings().flatMap((t) => {
      const own = matrixOf(new Vector3(...t.position));
      return [...goingAlong(things, [t.id])].map((id) => [id, own] as const);
    }),
  );
  dragStore.setState({ now: { of, place } });
}

/** A picked pivot on something that moves goes along. */
export function takePivotAlong(matrix: Matrix4): void {
  const { pivot, feature, point } = handleStore.getState();
  const { things } = levelStore.getState().scene;
  if (pivot !== "picked" || !feature || !reach(things, heldIds()).has(feature.thing)) return;
  setHandles({ point: new Vector3(...point).applyMatrix4(matrix).toArray() });
}
