import { createStore, useStore } from "zustand";
import type {
  ArrayRow,
  Delta,
  Group,
  History,
  LevelRow,
  PathView,
  Piece,
  Placement,
  Run,
  Shown,
  Summary,
  Thing,
} from "../api/types";

/** What stands in the level at one moment: rows by id, poses of derived items, paths as drawn. */
export interface Scene {
  level: LevelRow | null;
  pieces: ReadonlyMap<string, Piece>;
  things: ReadonlyMap<string, Thing>;
  items: ReadonlyMap<string, Run[]>;
  paths: ReadonlyMap<string, PathView>;
  summary: Summary | null;
}

export interface LevelState {
  levelId: string | null;
  revision: number;
  scene: Scene;
  /** The scene as a running preview would make it; null when none runs. */
  preview: Scene | null;
  previewNote: string;
  history: History;
  note: string;
  busy: number;
  online: boolean;
}

const empty: Scene = {
  level: null,
  pieces: new Map(),
  things: new Map(),
  items: new Map(),
  paths: new Map(),
  summary: null,
};

export const levelStore = createStore<LevelState>(() => ({
  levelId: null,
  revision: 0,
  scene: empty,
  preview: null,
  previewNote: "",
  history: { last: null, redo: null },
  note: "",
  busy: 0,
  online: true,
}));

/** The scene after a change; maps that do not differ are shared. */
export function changed(scene: Scene, delta: Delta): Scene {
  let { level } = scene;
  const pieces = new Map(scene.pieces);
  const things = new Map(scene.things);
  const items = new Map(scene.items);
  const paths = new Map(scene.paths);
  for (const row of delta.changed) {
    if (row.kind === "piece") pieces.set(row.id, row);
    else if (row.kind === "level") level = row;
    else things.set(row.id, row);
  }
  for (const id of delta.removed) {
    pieces.delete(id);
    things.delete(id);
    items.delete(id);
    paths.delete(id);
  }
  for (const [id, runs] of Object.entries(delta.items)) {
    if (runs.length === 0 && things.get(id)?.kind === "placement") items.delete(id);
    else items.set(id, runs);
  }
  for (const [id, path] of Object.entries(delta.paths)) paths.set(id, path);
  return { level, pieces, things, items, paths, summary: delta.summary };
}

/** Take over a whole level. */
export function loadLevel(delta: Delta): void {
  levelStore.setState({
    levelId: delta.level,
    revision: delta.revision,
    scene: changed(empty, delta),
    preview: null,
    previewNote: "",
    history: delta.history,
    note: "",
  });
}

/** Take over a committed change. False when a change in between was missed and the level must be loaded anew. */
export function applyDelta(delta: Delta): boolean {
  const state = levelStore.getState();
  if (delta.level !== state.levelId || delta.revision <= state.revision) return true;
  if (delta.revision !== state.revision + 1) return false;
  levelStore.setState({
    revision: delta.revision,
    scene: changed(state.scene, delta),
    preview: null,
    previewNote: "",
    history: delta.history,
    note: delta.note,
  });
  return true;
}

export function showPreview(delta: Delta | null): void {
  const { scene } = levelStore.getState();
  levelStore.setState(
    delta === null ? { preview: null, previewNote: "" } : { preview: changed(scene, delta), previewNote: delta.note },
  );
}

/** Say why a step would not go, and show the level as it is. */
export const refusePreview = (why: string): void => levelStore.setState({ preview: null, previewNote: why });

export const shown = (state: LevelState): Scene => state.preview ?? state.scene;
export const useLevel = <T>(select: (state: LevelState) => T): T => useStore(levelStore, select);

/** How many items a run has, those with it that are left out. */
export const itemCount = ({ items }: Scene, id: string): number => items.get(id)?.[0]?.count ?? 0;

/** What has a place and a turn of its own. */
export const isStanding = (row: Thing | Piece | undefined): row is Placement | ArrayRow | Group =>
  row?.kind === "placement" || row?.kind === "array" || row?.kind === "group";

/** What shows a piece. */
export const isShown = (row: Thing | Piece | undefined): row is Shown =>
  row?.kind === "placement" || row?.kind === "array" || row?.kind === "course";

/** Whether what shows pieces shows this one, here or there. */
export function showsPiece(row: Shown, piece: string): boolean {
  if (row.piece === piece) return true;
  if (row.kind === "course") {
    const { first, last, corner, pattern = [], others = [] } = row;
    return [first, last, corner, ...pattern, ...others.map((o) => o.piece)].includes(piece);
  }
  return row.kind === "array" && (row.others ?? []).some((o) => o.piece === piece);
}

/** Number at the end of an id: things are listed in the order in which they were made. */
export const madeOrder = (id: string): number => Number(id.slice(id.lastIndexOf("-") + 1));
