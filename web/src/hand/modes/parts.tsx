import type { ReactNode } from "react";
import { useRunning } from "../../state/running";

/** What has been typed, or else the measure as it is. */
export function Measure({ children }: { children: ReactNode }) {
  const typed = useRunning((s) => s.typed);
  return <b>{typed || children}</b>;
}

/** Tells how to take pivots instead of vertices, edges and faces, and back. */
export function PivotHint() {
  const pivots = useRunning((s) => s.pivots);
  return <span> · P: take {pivots ? "vertices, edges, faces" : "pivots"}</span>;
}

/** What can be pointed at. */
export const usePointAt = (): string =>
  useRunning((s) => s.pivots) ? "Point at what has the pivot" : "Point at a vertex, an edge or a face";
