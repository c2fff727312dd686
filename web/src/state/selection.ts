import { createStore, useStore } from "zustand";
import { isShown, levelStore } from "./level";
import { here, reach } from "./tree";
import { setView, viewStore } from "./view";

interface SelectionState {
  ids: readonly string[];
  hovered: string | null;
}

export const selectionStore = createStore<SelectionState>(() => ({ ids: [], hovered: null }));

export type SelectMode = "only" | "add" | "toggle" | "remove";

const isPiece = (id: string) => levelStore.getState().scene.pieces.has(id);

/** Select things, or pieces of the shelf; the two are never mixed. */
export function select(ids: readonly string[], mode: SelectMode = "only"): void {
  const now = selectionStore.getState().ids;
  let next: readonly string[];
  if (mode === "only") next = ids;
  else if (mode === "remove") next = now.filter((id) => !ids.includes(id));
  else {
    const same = now.filter((id) => ids[0] === undefined || isPiece(id) === isPiece(ids[0]));
    const gone = mode === "toggle" ? same.filter((id) => ids.includes(id)) : [];
    next = [...same.filter((id) => !gone.includes(id)), ...ids.filter((id) => !same.includes(id))];
  }
  if (next.length !== now.length || next.some((id, k) => id !== now[k])) selectionStore.setState({ ids: [...next] });
}

export function invertSelection(): void {
  const { ids } = selectionStore.getState();
  const chosen = new Set(ids);
  select(here().filter((id) => !chosen.has(id)));
}

export function hover(id: string | null): void {
  if (selectionStore.getState().hovered !== id) selectionStore.setState({ hovered: id });
}

/** The piece that was selected last, itself or by something that shows it: what one would lay along a path next. */
export function lastPiece(): string | null {
  return last;
}

let last: string | null = null;
selectionStore.subscribe(({ ids }) => {
  const { pieces, things } = levelStore.getState().scene;
  const [first = ""] = ids;
  const thing = things.get(first);
  if (pieces.has(first)) last = first;
  else if (isShown(thing)) last = thing.piece;
});

/** Forget what is no longer there. */
levelStore.subscribe((state, before) => {
  if (state.scene === before.scene) return;
  const { ids } = selectionStore.getState();
  const alive = ids.filter((id) => state.scene.things.has(id) || state.scene.pieces.has(id));
  if (alive.length !== ids.length) selectionStore.setState({ ids: alive });
});

export const useSelection = <T>(choose: (state: SelectionState) => T): T => useStore(selectionStore, choose);

/** Work within a group, or in the level again; what is selected outside of it is let go. */
export function openGroup(group: string | null): void {
  setView({ inside: group });
  const { things } = levelStore.getState().scene;
  if (group === null) return;
  const within = reach(things, [group]);
  select(selectionStore.getState().ids.filter((id) => id !== group && within.has(id)));
}

/** Out of the group that is open, into the one that it is in. */
export function leaveGroup(): void {
  const { inside } = viewStore.getState();
  const group = levelStore.getState().scene.things.get(inside ?? "");
  setView({ inside: group?.group ?? null });
  if (group) select([group.id]);
}

/** A group that is gone is left. */
levelStore.subscribe(({ scene }) => {
  const { inside } = viewStore.getState();
  if (inside !== null && !scene.things.has(inside)) setView({ inside: null });
});
