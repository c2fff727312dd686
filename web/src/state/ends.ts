import { createStore, useStore } from "zustand";
import { api } from "../api/client";
import type { Ends } from "../api/types";
import { levelStore } from "./level";
import { selectionStore } from "./selection";
import { isHidden, isLocked } from "./tree";

/** What can be pulled at the end of the selected array, and at which revision of which thing that was asked. */
interface Pullable {
  thing: string | null;
  revision: number;
  found: Ends | null;
}

const NONE: Pullable = { thing: null, revision: -1, found: null };
export const endsStore = createStore<Pullable>(() => NONE);
export const useEnds = (): Pullable => useStore(endsStore);

/** The one selected array that may be changed, if it is one. */
function wanted(): string | null {
  const { ids } = selectionStore.getState();
  const { things } = levelStore.getState().scene;
  const thing = ids.length === 1 ? things.get(ids[0] ?? "") : undefined;
  const repeats = thing?.kind === "array" || (thing?.kind === "group" && thing.repeat !== null);
  return repeats && !isLocked(things, thing.id) && !isHidden(things, thing.id) ? thing.id : null;
}

async function ask(): Promise<void> {
  const thing = wanted();
  const { levelId, revision } = levelStore.getState();
  const before = endsStore.getState();
  if (thing === before.thing && (thing === null || revision === before.revision)) return;
  endsStore.setState(thing === null ? NONE : { thing, revision, found: thing === before.thing ? before.found : null });
  if (!levelId || thing === null) return;
  const found = await api.ends(levelId, thing).catch(() => null);
  const now = endsStore.getState();
  if (now.thing === thing && now.revision === revision) endsStore.setState({ found });
}

/** Keep what can be pulled up with the selection and the level. */
export function followEnds(): () => void {
  const stops = [selectionStore.subscribe(() => void ask()), levelStore.subscribe(() => void ask())];
  void ask();
  return () => {
    for (const stop of stops) stop();
  };
}
