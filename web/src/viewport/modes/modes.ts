import type { Run } from "../../state/running";
import type { Mode } from "./mode";

const known = new Map<string, Mode>();

/** Make modes known; each kind of run has one. */
export const register = (...modes: readonly Mode[]): void => {
  for (const mode of modes) known.set(mode.kind, mode);
};

/** The mode of what runs. */
export const modeOf = (now: Run | null): Mode | undefined => known.get(now?.kind ?? "rest");
