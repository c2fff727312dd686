import { runningStore } from "../../state/running";
import type { Latest } from "../picking/featurePick";
import { pointerSpot } from "../pointer";
import type { Mode } from "./mode";

/** What pointer does in a mode that picks features: ask for what is pointed at, and take what is pressed. */
export const picking = (latest: Latest, take: () => void | Promise<void>): Pick<Mode, "move" | "press" | "enter"> => ({
  move: ({ x, y, ctrl }) => latest.move(x, y, ctrl),
  press: () => ({
    move: ({ x, y, ctrl }) => latest.move(x, y, ctrl),
    release: ({ x, y, ctrl }) => latest.press(x, y, ctrl, take),
  }),
  enter: () => void take(),
});

/** Take pivots instead of vertices, edges and faces, or these again, and point anew. */
export function togglePivots(latest: Latest): true {
  runningStore.setState((s) => ({ pivots: !s.pivots }));
  const { x, y } = pointerSpot();
  latest.move(x, y);
  return true;
}
