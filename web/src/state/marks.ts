import { levelStore } from "./level";
import { tell } from "./messages";
import { selectionStore } from "./selection";
import { takeStep } from "./steps";
import { reach } from "./tree";
import { setView, viewStore } from "./view";

const chosen = (): string[] => {
  const { things } = levelStore.getState().scene;
  return selectionStore.getState().ids.filter((id) => things.has(id));
};

export const mark = (ids: readonly string[], marks: { hide?: boolean; lock?: boolean }) =>
  takeStep("set_marks", marks, ids);

/** Hide what is selected. */
export function hideSelection(): void {
  const ids = chosen();
  if (ids.length) void mark(ids, { hide: true });
  else tell("Hide: select what is to be hidden first.");
}

/** Show everything that is hidden, also what is left out while others are isolated. */
export function showAll(): void {
  setView({ isolated: null });
  const hidden = [...levelStore.getState().scene.things.values()].filter((t) => t.hidden).map((t) => t.id);
  if (hidden.length) void mark(hidden, { hide: false });
}

/** Draw only the selection; again, and everything is back. */
export function toggleIsolated(): void {
  if (viewStore.getState().isolated) setView({ isolated: null });
  else {
    const ids = chosen();
    if (ids.length) setView({ isolated: reach(levelStore.getState().scene.things, ids) });
    else tell("Select what to isolate.");
  }
}

let before: "solid" | "edges" | "mesh" = "edges";

/** See through everything; again, and it is as it was. */
export function toggleGlass(): void {
  const { draw } = viewStore.getState();
  if (draw === "glass") setView({ draw: before });
  else {
    before = draw;
    setView({ draw: "glass" });
  }
}
