import { createStore, useStore } from "zustand";

/** What the viewport is in the middle of, apart from looking and selecting. Each kind has a mode, which says what the
 * pointer and the keys do meanwhile; it alone knows what else belongs to it. */
export interface Run {
  readonly kind: string;
}

interface RunningState {
  now: Run | null;
  /** What has been typed over the measure in the prompt. */
  typed: string;
  /** Whether picks take the pivot of what is pointed at. */
  pivots: boolean;
  /** The tool whose card is open in the Tools panel. */
  card: string | null;
  /** Where the pointer is, for the prompt, in page pixels. */
  pointer: { x: number; y: number };
}

export const runningStore = createStore<RunningState>(() => ({
  now: null,
  typed: "",
  pivots: false,
  card: null,
  pointer: { x: 0, y: 0 },
}));

export const useRunning = <T>(choose: (state: RunningState) => T): T => useStore(runningStore, choose);

/** Begin something, or end what runs. */
export const run = (now: Run | null): void => runningStore.setState({ now, typed: "", pivots: false });
export const setTyped = (typed: string): void => runningStore.setState({ typed });
export const openCard = (card: string | null): void => runningStore.setState({ card });

/** One kind of run: to begin it, to read it, to change it while it lasts. */
export interface Runs<T extends Run> {
  readonly kind: T["kind"];
  /** What runs now, if it is of this kind. */
  now(): T | null;
  use(): T | null;
  begin(state: Omit<T, "kind">): void;
  /** Does nothing once it has ended. */
  change(part: Partial<Omit<T, "kind">>): void;
  /** End it, if it runs. */
  end(): void;
}

export function runsOf<T extends Run>(kind: T["kind"]): Runs<T> {
  const mine = (now: Run | null): T | null => (now?.kind === kind ? (now as T) : null);
  const now = () => mine(runningStore.getState().now);
  return {
    kind,
    now,
    use: () => useRunning((s) => mine(s.now)),
    begin: (state) => run({ kind, ...state } as T),
    change(part) {
      const old = now();
      if (old) runningStore.setState({ now: { ...old, ...part } });
    },
    end() {
      if (now()) run(null);
    },
  };
}
