import type { Row } from "../../api/types";
import { startCut } from "../../hand/modes/cut";
import { startDock } from "../../hand/modes/dock";
import { startDockElements } from "../../hand/modes/dockElements";
import { startMeasuring } from "../../hand/modes/measure";
import { startCourse, startPath } from "../../hand/modes/path";
import { startPlacing } from "../../hand/modes/place";
import { startStarter } from "../../hand/modes/starter";
import { handleStore, setHandles } from "../../state/handles";
import { levelStore } from "../../state/level";
import { placeOf } from "../../state/place";
import { lastPiece } from "../../state/selection";
import type { ToolExtras } from "../extras";
import { remembered } from "../lastUsed";
import { groupPivot, setPivot } from "./pivots";
import { keepAsRecipe } from "./recipes";

/** Whether a path bends anywhere. */
const isCurved = (path: string): boolean => levelStore.getState().scene.paths.get(path)?.smallest_radius != null;

/** A piece that the rows do not show: the one that was in the hand last, else the first. */
function otherPiece(rows: readonly Row[]): string | undefined {
  const own = new Set(rows.map((r) => (r.kind === "piece" ? r.id : "piece" in r ? r.piece : "")));
  const { pieces } = levelStore.getState().scene;
  const last = lastPiece();
  return last && pieces.has(last) && !own.has(last) ? last : [...pieces.keys()].find((id) => !own.has(id));
}

/** Tools for which a hand is better than a number, by name; the others need nothing here. */
export const BY_HAND: Readonly<Record<string, ToolExtras>> = {
  place_piece: { start: ([piece]) => piece && startPlacing(piece.id) },
  draw_path: { start: startPath },
  draw_course: { start: ([row]) => row && startCourse(row.id) },
  path_starter: { draw: startStarter },
  dock: { start: startDock, unselected: true },
  dock_elements: { start: startDockElements },
  cut_across: { start: startCut },
  keep_measure: { start: startMeasuring },
  size: { key: () => setHandles({ sizing: !handleStore.getState().sizing }) },
  set_pivot: setPivot,
  group_pivot: groupPivot,
  stepped_copies: {
    pick: () => ({
      piece: null,
      within: true,
      words: "Click what the copies go round, or press Enter",
      params: (feature) => ({ about_what: "picked", picked: placeOf(feature) }),
    }),
  },
  swap_items: {
    pick: () => ({
      piece: null,
      words: "Click the item to be changed",
      params: ({ item }) => ({ items: [item] }),
    }),
    starting: (rows) => ({ items: [], piece: otherPiece(rows) }),
  },
  strew: {
    pick: () => ({
      piece: null,
      words: "Click the face to scatter over",
      params: (feature) => ({ on: placeOf(feature) }),
    }),
    starting: () => ({ on: null }),
  },
  keep_vertices: {
    pick: ([row]) => ({
      piece: row && "piece" in row ? row.piece : null,
      words: "Click a vertex, an edge or a face whose vertices stay",
      params: (feature) => ({ on: placeOf(feature) }),
    }),
    starting: () => ({ on: null }),
  },
  make_ladder: {
    taken: (params) => void keepAsRecipe(params),
    starting: () => ({ recipe: "" }),
  },
  piece_as_rung: {
    starting: (rows) => ({ piece: otherPiece(rows) ?? "" }),
  },
  strew_again: {
    starting([group]) {
      if (group?.kind !== "group" || !group.strewn) return {};
      const { pieces: _, thing, item, face, ...own } = group.strewn;
      return { ...own, on: { thing, item, kind: "face", index: face, face } };
    },
  },
  path_from_edges: {
    pick: () => ({
      piece: null,
      words: "Click an edge, or a face to go round it",
      params: (feature) => ({ edge: placeOf(feature) }),
    }),
    starting: () => ({ edge: null }),
  },
  mirror: { starting: () => ({ face: null, one: null, two: null, picked: null }) },
  adjust_array: {
    starting([row]) {
      return row?.kind === "group" && row.repeat ? { ...row.repeat } : {};
    },
  },
  lay_course: {
    // along a curve pieces bend, unless that was chosen otherwise before
    starting: ([path]) => ({
      between: null,
      stations: null,
      ...("bend" in remembered("lay_course") ? {} : { bend: path !== undefined && isCurved(path.id) }),
    }),
  },
  replace_piece: {
    starting: (rows) => ({ by: otherPiece(rows) ?? "" }),
  },
};
