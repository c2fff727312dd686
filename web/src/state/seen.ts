import { createStore, useStore } from "zustand";

/** Whether a level has been seen in the viewport: lists and cards come after the first picture. */
const seenStore = createStore<{ seen: boolean }>(() => ({ seen: false }));

export const wasSeen = (): boolean => seenStore.getState().seen;
export const useSeen = (): boolean => useStore(seenStore, (s) => s.seen);

/** The first picture of the level with all its meshes is drawn, or there will be none for now. */
export function seen(): void {
  if (wasSeen()) return;
  performance.mark("level seen");
  seenStore.setState({ seen: true });
}
