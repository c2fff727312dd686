import { createStore, useStore } from "zustand";
import type { Piece } from "../api/types";

/** Which rung of a piece the view draws instead of the piece itself: 0 is the piece as it is. */
export interface RungView {
  piece: string | null;
  rung: number;
  /** The rung on the right of the divider; null without one. */
  beside: number | null;
  /** Where the divider stands, 0 to 1 of the view's width. */
  divider: number;
  /** Whether the deviation is painted on. */
  paint: boolean;
  /** Whether the vertices that stay on all rungs are shown. */
  seams: boolean;
  /** The piece as it is, for as long as a key is held. */
  flipped: boolean;
  /** What is drawn of all pieces with ladders: "source", by "distance", or the number of a rung. */
  draws: string;
}

const NOTHING: RungView = {
  piece: null,
  rung: 0,
  beside: null,
  divider: 0.5,
  paint: false,
  seams: false,
  flipped: false,
  draws: "source",
};
export const rungStore = createStore<RungView>(() => NOTHING);
export const useRungs = <T>(choose: (state: RungView) => T): T => useStore(rungStore, choose);
export const setRungs = (part: Partial<RungView>): void => rungStore.setState(part);
export const forgetRungs = (): void => rungStore.setState(({ draws }) => ({ ...NOTHING, draws }));

/** Draw a rung of a piece; another piece begins without divider and paint. */
export function showRung(piece: string, rung: number): void {
  const now = rungStore.getState();
  if (now.piece === piece) setRungs({ rung });
  else rungStore.setState({ ...NOTHING, draws: now.draws, piece, rung });
}

/** The hash of a rung's mesh; the piece's own for 0 and where there is no such rung. */
export const meshOfRung = (piece: Piece, rung: number): string => piece.ladder?.rungs[rung - 1]?.mesh ?? piece.mesh;

/** Whether a ladder is of another mesh than the piece has now. */
export const isStale = (piece: Piece): boolean => piece.ladder != null && piece.ladder.source !== piece.mesh;
