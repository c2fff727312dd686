import { runningStore } from "../state/running";
import { viewport } from "../viewport/controller";

/** Where the pointer is in the viewport, pixels. */
export function pointerSpot(): { x: number; y: number } {
  const { pointer } = runningStore.getState();
  const box = viewport.element?.getBoundingClientRect();
  return { x: pointer.x - (box?.left ?? 0), y: pointer.y - (box?.top ?? 0) };
}
