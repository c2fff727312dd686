import { createStore, useStore } from "zustand";

const KEPT = "able-brick last step";

interface LastStepState {
  /** Whether the whole card lies over the column; kept by this browser for the next time. */
  open: boolean;
  /** How often somebody asked for its first field. */
  asked: number;
}

const kept = (): boolean => {
  try {
    return localStorage.getItem(KEPT) === "open";
  } catch {
    return false;
  }
};

export const lastStepStore = createStore<LastStepState>(() => ({ open: kept(), asked: 0 }));

export const useLastStep = <T>(choose: (state: LastStepState) => T): T => useStore(lastStepStore, choose);

/** Have it in sight for now, whatever is kept. */
export const showLastStep = (): void => lastStepStore.setState({ open: true });

/** Open or fold it, and keep that. */
export function openLastStep(open: boolean): void {
  lastStepStore.setState({ open });
  try {
    localStorage.setItem(KEPT, open ? "open" : "shut");
  } catch {
    // a browser that keeps nothing begins anew the next time
  }
}

/** Go to its first field, by the key. */
export const askLastStep = (): void => lastStepStore.setState((s) => ({ asked: s.asked + 1 }));
