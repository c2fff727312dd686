import { createStore, useStore } from "zustand";

/** The points of a path that are chosen to be changed, by their numbers. */
export interface Chosen {
  path: string;
  points: readonly number[];
}

export const chosenStore = createStore<{ now: Chosen | null }>(() => ({ now: null }));
export const useChosen = (): Chosen | null => useStore(chosenStore, (s) => s.now);

/** The chosen points of a path. */
export const chosenOf = (path: string): readonly number[] => {
  const { now } = chosenStore.getState();
  return now?.path === path ? now.points : [];
};

/** Choose a point of a path, alone or beside others; one that is chosen beside others is let go. */
export function choosePoint(path: string, point: number, more: boolean): void {
  const before = chosenOf(path);
  const points = more
    ? before.includes(point)
      ? before.filter((p) => p !== point)
      : [...before, point].sort((a, b) => a - b)
    : [point];
  chosenStore.setState({ now: points.length ? { path, points } : null });
}

export const letPointsGo = (): void => chosenStore.setState({ now: null });
