import type { Vector3 } from "three";
import type { End } from "../../api/types";
import { AXES, type Axis } from "../../scene/axes";
import { dragStore } from "../../state/drag";
import { viewStore } from "../../state/view";
import { growing, movingElements, turningElements } from "../elements/drags";
import { endNamed, pulling } from "./endDrag";
import type { HandleDrag } from "./holding";
import { moving } from "./moveDrag";
import { sizing } from "./sizeDrag";
import { spreading } from "./spreadDrag";
import { turning } from "./turnDrag";

/** Take hold of a handle by its name at a place of the viewport. */
export function holdHandle(handle: string, x: number, y: number, origin: Vector3): HandleDrag | null {
  const [kind, axes] = handle.split("-") as [string, string | undefined];
  if (!axes) return null;
  dragStore.setState({ handle });
  if (viewStore.getState().stage === "shape") return holdElements(kind, axes, x, y, origin);
  if (kind === "turn") return turning(axes as Axis, x, y, origin);
  if (kind === "size") return sizing(axes, origin);
  if (kind === "end") return pulling(axes as End["of"], x, y);
  if (kind === "spread") return spreading(x, y, origin);
  if (kind === "free") return moving(AXES.slice(), x, y, origin, true);
  const some = AXES.filter((axis) => axes.includes(axis));
  return moving(some, x, y, origin);
}

function holdElements(kind: string, axes: string, x: number, y: number, origin: Vector3): HandleDrag | null {
  if (kind === "grow") return growing(x, y, origin);
  if (kind === "turn") return turningElements(axes as Axis, x, y, origin);
  const some = AXES.filter((axis) => axes.includes(axis));
  return kind === "free" ? movingElements(["x", "y"], x, y, origin, true) : movingElements(some, x, y, origin);
}

/** What a handle does, for the prompt. */
export function wordsOf(handle: string): string {
  const [kind, axes = ""] = handle.split("-");
  if (kind === "turn") return `Turn about ${axes.toUpperCase()}: drag, or type degrees`;
  if (kind === "grow") return "Pull out: drag, or type the depth";
  if (kind === "end") return `${endNamed(axes)?.words ?? ""}: drag, or type the number`;
  if (kind === "spread") return "Spread: drag, or type a factor";
  if (kind === "free") {
    return viewStore.getState().stage === "shape"
      ? "Move freely: drag onto what it is to meet"
      : "Move over the ground: drag, or type X, Y, Z";
  }
  if (kind === "size") {
    return axes.startsWith("c") ? "Size all alike: drag, or type a factor" : "Size: drag, or type the length";
  }
  const along = [...axes].join(" and ").toUpperCase();
  return `Move along ${along}: drag, or type a distance or a place (to 5)`;
}
