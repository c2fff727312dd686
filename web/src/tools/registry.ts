import { defaultsOf, fieldsOf } from "../api/fields";
import type { Params, Row, ToolInfo } from "../api/types";
import { elementStore, elementsNow, KIND_WORDS, kindOfMode, openPiece, type PickMode } from "../state/elements";
import { levelStore } from "../state/level";
import { openCard } from "../state/running";
import { lastPiece, selectionStore } from "../state/selection";
import { takeStep } from "../state/steps";
import { withoutFollowers } from "../state/tree";
import { viewStore } from "../state/view";
import { startWork } from "../state/work";
import { BY_HAND } from "./byHand";
import type { CardPick, ToolExtras } from "./extras";
import { remembered } from "./lastUsed";
import { countUse } from "./often";
import { scopeOf } from "./toolKeys";

/** What settings are called that a tool needs to be there. */
const WORDS: Readonly<Record<string, string>> = {
  repeat: "repetition",
  mirror: "live mirror",
  strewn: "scattered things",
};

/** Why a tool cannot work on the selection; null when it can. */
export function whyNot(tool: ToolInfo, chosen: readonly Row[]): string | null {
  const { kinds = [], least = 0, most, having = [] } = tool.need;
  const rows = kinds.includes("course") ? chosen : withoutFollowers(levelStore.getState().scene.things, chosen);
  const lacks = (r: Row) => {
    const present = having.filter((name) => name in r);
    return present.length > 0 && present.every((name) => (r as Record<string, unknown>)[name] == null);
  };
  const right = rows.every((r) => (kinds as string[]).includes(r.kind ?? ""));
  if (right && rows.length > 0 && rows.some(lacks)) {
    return `Not for this one: it has no ${having.map((name) => WORDS[name] ?? name).join(" or ")}.`;
  }
  const takes = tool.takes ?? [];
  const { mode } = elementStore.getState();
  if (takes.length > 0 && right && rows.length > 0 && openPiece() === null) return "Open a piece in Shape first.";
  if (takes.length > 0 && right && rows.length > 0 && !takes.includes(kindOfMode(mode))) {
    return `Works on ${takes.map((kind) => KIND_WORDS[kind as PickMode][1]).join(" or ")}.`;
  }
  const fits = right;
  if (least === 0 || (rows.length >= least && fits && (most == null || rows.length <= most))) return null;
  if (fits && most != null && rows.length > most) return `Works on one at a time; ${rows.length} are selected.`;
  return tool.asks;
}

/** The selected rows. */
export function selectedRows(): Row[] {
  const { pieces, things } = levelStore.getState().scene;
  return selectionStore.getState().ids.flatMap((id) => pieces.get(id) ?? things.get(id) ?? []);
}

/** What a tool's card starts with: values of the selected row, then those used last, then the tool's own. */
export function startingParams(tool: ToolInfo): Params {
  const defaults = defaultsOf(tool);
  const { level, pieces } = levelStore.getState().scene;
  const rows = selectedRows();
  if (tool.prefill) {
    // what works on nothing that is selected works on the level
    const row = tool.need.kinds?.length ? rows[0] : level;
    const present = Object.keys((tool.fields as { properties?: object }).properties ?? {}).flatMap((name) => {
      const value = (row as Record<string, unknown> | null | undefined)?.[name];
      return name === "tool" || value === undefined ? [] : [[name, value]];
    });
    return { ...defaults, ...Object.fromEntries(present), ...BY_HAND[tool.tool]?.starting?.(rows) };
  }
  const out: Params = { ...defaults, ...remembered(tool.tool) };
  if ("name" in defaults) out.name = defaults.name;
  for (const field of fieldsOf(tool).filter((f) => f.kind === "piece" && !f.empty)) {
    const wanted = lastPiece() ?? String(out[field.name]);
    out[field.name] = pieces.has(wanted) ? wanted : (pieces.keys().next().value ?? "");
  }
  return { ...out, ...BY_HAND[tool.tool]?.starting?.(rows) };
}

/** The feature that a tool's card asks for in the view; null for none. */
export const pickOf = (tool: ToolInfo, rows: readonly Row[]): CardPick | null =>
  BY_HAND[tool.tool]?.pick?.(rows) ?? null;

/** What else is done when a step of a tool has been taken by its card. */
export const takenBy = (tool: ToolInfo, params: Params): void => BY_HAND[tool.tool]?.taken?.(params);

/** How what a tool's card describes is drawn in the view; nothing for what is not. */
export const drawOf = (tool: ToolInfo): ToolExtras["draw"] => BY_HAND[tool.tool]?.draw;

/** Start a tool: in the viewport where a hand is better, at once where nothing has to be said, else by its card. */
export function startTool(tool: ToolInfo): void {
  countUse(tool.tool);
  const rows = selectedRows();
  const byHand = BY_HAND[tool.tool]?.start;
  const selection = rows.map((r) => r.id);
  if (byHand) byHand(rows);
  else if (tool.instant) {
    const params = startingParams(tool);
    if ("elements" in params) params.elements = elementsNow();
    void (tool.long ? startWork : takeStep)(tool.tool, params, selection);
  } else openCard(tool.tool);
}

/** What the key of a tool does now; of several tools with that key it is the first one that suits the selection. */
export function pressKey(every: readonly ToolInfo[], refused: (tool: ToolInfo, why: string) => void): void {
  const rows = selectedRows();
  // what shapes and slims has its keys in its own stage alone
  const { stage } = viewStore.getState();
  const tools = every.filter((t) => t.stages.includes(stage) || scopeOf(t) === "everywhere");
  const suits = (tool: ToolInfo) =>
    whyNot(tool, rows) === null || (rows.length === 0 && BY_HAND[tool.tool]?.unselected === true);
  // what works on elements comes before what works on the whole thing
  const suited = tools.filter(suits);
  const tool = suited.find((t) => (t.takes ?? []).length > 0) ?? suited[0] ?? tools[0];
  const key = tool && BY_HAND[tool.tool]?.key;
  if (key) key();
  else if (tool && suits(tool)) startTool(tool);
  else if (tool) refused(tool, whyNot(tool, rows) ?? "");
}
