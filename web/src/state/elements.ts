import { createStore, useStore } from "zustand";
import { api, Problem } from "../api/client";
import type { Elements, ElementsRequest, Piece } from "../api/types";
import { levelStore, shown } from "./level";
import { tell } from "./messages";
import { selectionStore } from "./selection";
import { sourceOf } from "./source";
import { viewStore } from "./view";

export type ElementKind = "vertex" | "edge" | "face";
/** What a click picks; a facet is all of its faces. */
export type PickMode = ElementKind | "facet";

/** Where the pointer is over the open piece: the item, and what the next click picks there. */
export interface Hovered {
  thing: string;
  item: number;
  ids: readonly number[];
}

interface Picked {
  mode: PickMode;
  /** What is picked, of which kind, of which piece, and of which of its meshes. */
  piece: string | null;
  mesh: string;
  kind: ElementKind;
  ids: ReadonlySet<number>;
  hovered: Hovered | null;
  /** Faces of that mesh at which the last step came to an end that may not have been meant. */
  ended: ReadonlySet<number>;
  /** The item that was picked on last: its handles stand there. */
  at: { thing: string; item: number } | null;
}

const NONE: ReadonlySet<number> = new Set();
export const elementStore = createStore<Picked>(() => ({
  mode: "face",
  piece: null,
  mesh: "",
  kind: "face",
  ids: NONE,
  hovered: null,
  ended: NONE,
  at: null,
}));
export const useElements = <T>(choose: (state: Picked) => T): T => useStore(elementStore, choose);

/** One, and many, of a kind in words. */
export const KIND_WORDS: Readonly<Record<PickMode, readonly [string, string]>> = {
  vertex: ["vertex", "vertices"],
  edge: ["edge", "edges"],
  face: ["face", "faces"],
  facet: ["facet", "facets"],
};
export const kindOfMode = (mode: PickMode): ElementKind => (mode === "facet" ? "face" : mode);

/** The piece that is open in Shape: that of the one thing, or piece of the shelf, that is selected. */
export function openPiece(): Piece | null {
  if (viewStore.getState().stage !== "shape") return null;
  const { ids } = selectionStore.getState();
  const scene = levelStore.getState().scene;
  const row = ids.length === 1 ? (scene.pieces.get(ids[0] ?? "") ?? scene.things.get(ids[0] ?? "")) : undefined;
  if (row?.kind === "piece") return row;
  return row && "piece" in row ? (scene.pieces.get(row.piece) ?? null) : null;
}

/** The id of the open piece, as it changes. */
export function useOpenPiece(): string | null {
  useStore(viewStore, (v) => v.stage);
  useStore(selectionStore, (s) => s.ids);
  useStore(levelStore, (s) => s.scene);
  return openPiece()?.id ?? null;
}

/** What is picked of the open piece; nothing where its mesh is another one by now. */
export function pickedNow(): { kind: ElementKind; ids: ReadonlySet<number> } {
  const piece = openPiece();
  const now = elementStore.getState();
  const true_ = piece && now.piece === piece.id && now.mesh === sourceOf(piece);
  return { kind: now.kind, ids: true_ ? now.ids : NONE };
}

/** What was picked of meshes, so that undo and redo bring it back. */
const KEPT = 64;
const lastPicked = new Map<string, { kind: ElementKind; ids: ReadonlySet<number> }>();

function put(piece: Piece, kind: ElementKind, ids: ReadonlySet<number>): void {
  elementStore.setState(({ mode }) => ({
    piece: piece.id,
    mesh: sourceOf(piece),
    kind,
    ids,
    ended: NONE,
    mode: kindOfMode(mode) === kind ? mode : kind,
  }));
  lastPicked.delete(sourceOf(piece));
  lastPicked.set(sourceOf(piece), { kind, ids });
  const [oldest] = lastPicked.keys();
  if (lastPicked.size > KEPT && oldest !== undefined) lastPicked.delete(oldest);
}

/** Pick elements of the open piece instead of those before. */
export function pickElements(kind: ElementKind, ids: Iterable<number>): void {
  const piece = openPiece();
  if (piece) put(piece, kind, new Set(ids));
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
  const { kind, ids } = pickedNow();
  const piece = openPiece();
  return { mesh: piece ? sourceOf(piece) : "", kind, ids: rangesOf(ids) };
}

/** Pick what a step has made or moved; faces at which it ended are marked until something else is picked. */
export function takeElements(elements: Elements | null | undefined, ended?: Elements | null): void {
  const piece = openPiece();
  if (!elements || !piece || elements.mesh !== sourceOf(piece)) return;
  put(piece, elements.kind ?? "face", new Set(numbersOf(elements)));
  if (ended) elementStore.setState({ ended: new Set(numbersOf(ended)) });
}

async function asked(wish: Partial<Omit<ElementsRequest, "piece" | "elements">>): Promise<void> {
  const piece = openPiece();
  const { levelId } = levelStore.getState();
  if (!piece || !levelId) return;
  try {
    const request = { how: "as it is", angle: 0, ...wish, piece: piece.id, elements: elementsNow() } as const;
    takeElements(await api.elements(levelId, request));
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    tell(error.message, "error");
  }
}

export type How = Exclude<ElementsRequest["how"], "as it is" | undefined>;

/** Take in more of what belongs to what is picked. */
export const takeInMore = (how: How): Promise<void> => asked({ how });

/** Pick another kind from now on; what is picked becomes of that kind. */
export async function pickBy(mode: PickMode): Promise<void> {
  const { kind, ids } = pickedNow();
  const to = kindOfMode(mode);
  elementStore.setState({ mode, hovered: null });
  if (ids.size === 0 || (kind === to && mode !== "facet")) {
    if (kind !== to) elementStore.setState({ kind: to, ids: NONE });
    return;
  }
  if (kind !== to) await asked({ to });
  if (mode === "facet" && pickedNow().ids.size > 0) await asked({ how: "same facet" });
  elementStore.setState({ mode });
}

/** Whether a thing shows the open piece by its own mesh, so that it can be picked from. */
export function showsOpen(thing: string): boolean {
  const piece = openPiece();
  const scene = shown(levelStore.getState());
  const row = scene.things.get(thing);
  // on the empty sheet there is nothing else
  if (piece && thing === "sheet") return true;
  if (!piece || !row) return false;
  if (row.kind === "placement") return row.piece === piece.id;
  return (scene.items.get(thing) ?? []).some((run) => run.piece === piece.id && run.mesh === null);
}

/** The facets of a mesh's faces, once they have come; asked for when they are not there yet. */
const facets = new Map<string, readonly number[]>();
const facetsAsked = new Set<string>();

export function facetsOf(piece: Piece): readonly number[] | null {
  const source = sourceOf(piece);
  const found = facets.get(source);
  const { levelId } = levelStore.getState();
  if (!found && levelId && !facetsAsked.has(source)) {
    facetsAsked.add(source);
    api
      .facets(levelId, piece.id)
      .then((reply) => {
        facets.set(reply.mesh, reply.facets);
        const [oldest] = facets.keys();
        if (facets.size > 8 && oldest !== undefined) facets.delete(oldest);
      })
      .catch(() => undefined)
      .finally(() => facetsAsked.delete(source));
  }
  return found ?? null;
}

/** The faces of the facet that a face belongs to; the face alone where that is not known yet. */
export function facetOf(piece: Piece, face: number): readonly number[] {
  const own = facetsOf(piece);
  const mine = own?.[face];
  if (!own || mine === undefined) return [face];
  return own.flatMap((facet, k) => (facet === mine ? [k] : []));
}

// what is picked is of the mesh that the piece had: another mesh has others, which undo and redo bring back
levelStore.subscribe(() => {
  const piece = openPiece();
  const { ids, mesh, piece: of } = elementStore.getState();
  if (!piece || of !== piece.id || mesh === sourceOf(piece) || levelStore.getState().busy) return;
  const source = sourceOf(piece);
  const before = lastPicked.get(source);
  if (before) put(piece, before.kind, before.ids);
  else if (ids.size > 0) elementStore.setState({ ids: NONE, mesh: source, hovered: null });
});
