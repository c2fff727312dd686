import type { Run } from "../../state/running";
import type { Mode } from "./mode";

const byKind = new Map<string, Mode>();

/** Make modes known; each kind of run has one. */
export const register = (...modes: readonly Mode[]): void => {
  for (const mode of modes) byKind.set(mode.kind, mode);
};

/** The mode of what runs. */
export const modeOf = (now: Run | null): Mode | undefined => byKind.get(now?.kind ?? "rest");
