import { createStore, useStore } from "zustand";
import { keep, kept } from "../theme/kept";

const NAME = "last step";

interface LastStepState {
  /** Whether the whole card lies over the column; kept by this browser for the next time. */
  open: boolean;
  /** How often somebody asked for its first field. */
  asked: number;
}

export const lastStepStore = createStore<LastStepState>(() => ({ open: kept(NAME) === "open", asked: 0 }));

export const useLastStep = <T>(choose: (state: LastStepState) => T): T => useStore(lastStepStore, choose);

/** Have it in sight for now, whatever is kept. */
export const showLastStep = (): void => lastStepStore.setState({ open: true });

/** Open or fold it, and keep that. */
export function openLastStep(open: boolean): void {
  lastStepStore.setState({ open });
  keep(NAME, open ? "open" : "shut");
}

/** Go to its first field, by the key. */
export const askLastStep = (): void => lastStepStore.setState((s) => ({ asked: s.asked + 1 }));
