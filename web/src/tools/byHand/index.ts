import { handleStore, setHandles } from "../../state/handles";
import { levelStore } from "../../state/level";
import { startDock } from "../../viewport/modes/dock";
import { startMeasuring } from "../../viewport/modes/measure";
import { startPath } from "../../viewport/modes/path";
import { startPlacing } from "../../viewport/modes/place";
import type { ToolExtras } from "../extras";
import { groupPivot, setPivot } from "./pivots";

/** Tools for which a hand is better than a number, by name; the others need nothing here. */
export const BY_HAND: Readonly<Record<string, ToolExtras>> = {
  place_piece: { start: ([piece]) => piece && startPlacing(piece.id) },
  draw_path: { start: startPath },
  dock: { start: startDock, unselected: true },
  keep_measure: { start: startMeasuring },
  size: { key: () => setHandles({ sizing: !handleStore.getState().sizing }) },
  set_pivot: setPivot,
  group_pivot: groupPivot,
  replace_piece: {
    starting(rows) {
      const own = new Set(rows.map((r) => (r.kind === "piece" ? r.id : "piece" in r ? r.piece : "")));
      return { by: [...levelStore.getState().scene.pieces.keys()].find((id) => !own.has(id)) ?? "" };
    },
  },
};
