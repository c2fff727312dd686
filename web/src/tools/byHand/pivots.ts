import { Pivots } from "../../scene/signs/Pivots";
import { whileOpen } from "../../viewport/cards";
import type { ToolExtras } from "../extras";

const WORDS = "Click the vertex, edge or face for the pivot, or choose in the card";

whileOpen("set_pivot", { handles: false, Signs: Pivots });
whileOpen("group_pivot", { handles: false });

/** The pivot of a piece is clicked on its mesh, where one is selected. */
export const setPivot: ToolExtras = {
  pick([row, second]) {
    if (!row || second) return null;
    const piece = row.kind === "piece" ? row.id : "piece" in row ? row.piece : null;
    if (piece === null) return null;
    return { piece, words: WORDS, params: ({ mesh, kind, index }) => place({ mesh, kind, index }) };
  },
};

/** The pivot of a group is clicked on anything. */
export const groupPivot: ToolExtras = {
  pick: () => ({
    piece: null,
    words: WORDS,
    params: ({ thing, item, kind, index, face }) => place({ thing, item, kind, index, face }),
  }),
};

const place = (picked: object) => ({ place: "picked", picked });
