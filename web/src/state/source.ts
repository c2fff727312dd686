import type { Finish, Piece } from "../api/types";

/** What makes the mesh that a piece has of another one, which is edited; null where nothing does. */
export const finishOf = (piece: Piece): Finish | null =>
  piece.finish && piece.finish.mesh === piece.mesh ? piece.finish : null;

/** The mesh of a piece that is edited. */
export const sourceOf = (piece: Piece): string => finishOf(piece)?.source ?? piece.mesh;
