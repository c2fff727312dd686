import { createStore, useStore } from "zustand";
import { api, Problem } from "../api/client";
import type { Elements, Piece } from "../api/types";
import { levelStore, shown } from "./level";
import { tell } from "./messages";
import { selectionStore } from "./selection";
import { viewStore } from "./view";

/** The faces that are picked of the piece that is open, and of which of its meshes they are. */
interface Picked {
  piece: string | null;
  mesh: string;
  faces: ReadonlySet<number>;
  /** The face under the pointer. */
  hovered: { thing: string; item: number; face: number } | null;
}

const NONE: ReadonlySet<number> = new Set();
export const elementStore = createStore<Picked>(() => ({ piece: null, mesh: "", faces: NONE, hovered: null }));
export const useElements = <T>(choose: (state: Picked) => T): T => useStore(elementStore, choose);

/** The piece that is open in Shape: that of the one thing, or piece of the shelf, that is selected. */
export function openPiece(): Piece | null {
  if (viewStore.getState().stage !== "shape") return null;
  const { ids } = selectionStore.getState();
  const scene = levelStore.getState().scene;
  const row = ids.length === 1 ? (scene.pieces.get(ids[0] ?? "") ?? scene.things.get(ids[0] ?? "")) : undefined;
  if (row?.kind === "piece") return row;
  return row && "piece" in row ? (scene.pieces.get(row.piece) ?? null) : null;
}

/** The picked faces of the open piece; none where its mesh is another one by now. */
export function pickedFaces(): ReadonlySet<number> {
  const piece = openPiece();
  const now = elementStore.getState();
  return piece && now.piece === piece.id && now.mesh === piece.mesh ? now.faces : NONE;
}

/** Pick faces of the open piece instead of those before. */
export function pickFaces(faces: Iterable<number>): void {
  const piece = openPiece();
  if (piece) elementStore.setState({ piece: piece.id, mesh: piece.mesh, faces: new Set(faces) });
}

/** Rising, closed ranges of numbers, as they travel. */
export function rangesOf(numbers: Iterable<number>): [number, number][] {
  const out: [number, number][] = [];
  for (const n of [...numbers].sort((a, b) => a - b)) {
    const last = out.at(-1);
    if (last && n <= last[1] + 1) last[1] = n;
    else out.push([n, n]);
  }
  return out;
}

const numbersOf = ({ ids }: Elements): number[] =>
  (ids ?? []).flatMap(([first, last]) => Array.from({ length: last - first + 1 }, (_, k) => first + k));

/** The picks as a tool wants them told. */
export function elementsNow(): Elements {
  return { mesh: openPiece()?.mesh ?? "", kind: "face", ids: rangesOf(pickedFaces()) };
}

/** Pick what a step has made or moved. */
export function takeElements(elements: Elements | null | undefined): void {
  const piece = openPiece();
  if (!elements || !piece || elements.mesh !== piece.mesh) return;
  elementStore.setState({ piece: piece.id, mesh: piece.mesh, faces: new Set(numbersOf(elements)) });
}

/** Take in more of what belongs to the picked faces. */
export async function takeInMore(how: Parameters<typeof api.elements>[1]["how"]): Promise<void> {
  const piece = openPiece();
  const { levelId } = levelStore.getState();
  if (!piece || !levelId) return;
  try {
    takeElements(await api.elements(levelId, { piece: piece.id, elements: elementsNow(), how }));
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    tell(error.message, "error");
  }
}

/** Whether a thing shows the open piece by its own mesh, so that its faces can be picked on it. */
export function showsOpen(thing: string): boolean {
  const piece = openPiece();
  const scene = shown(levelStore.getState());
  const row = scene.things.get(thing);
  if (!piece || !row) return false;
  if (row.kind === "placement") return row.piece === piece.id;
  return (scene.items.get(thing) ?? []).some((run) => run.piece === piece.id && run.mesh === null);
}

// what is picked is of the mesh that the piece had: another mesh has other faces
levelStore.subscribe(() => {
  const { faces, mesh } = elementStore.getState();
  if (faces.size > 0 && openPiece()?.mesh !== mesh && !levelStore.getState().busy) {
    elementStore.setState({ faces: NONE, hovered: null });
  }
});
