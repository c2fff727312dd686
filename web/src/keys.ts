import type { ToolInfo } from "./api/types";
import { runningKey } from "./hand/input";
import { walkKey } from "./hand/look/walk";
import { drawAgain } from "./hand/modes/draw";
import { openInShape } from "./hand/picking/boxSelect";
import { STAGES } from "./panels/TopLine";
import { changeStep } from "./panels/ViewStrip";
import { openPiece, takeInMore } from "./state/elements";
import { askLastStep } from "./state/lastStep";
import { levelStore } from "./state/level";
import { hideSelection, showAll, toggleGlass, toggleIsolated } from "./state/marks";
import { tell } from "./state/messages";
import { openCard, runningStore } from "./state/running";
import { invertSelection, leaveGroup, openGroup, select, selectionStore } from "./state/selection";
import { adjustLast, redo, undo } from "./state/steps";
import { here } from "./state/tree";
import { type Stage, setView, type ViewMode, viewStore } from "./state/view";
import { remember, remembered } from "./tools/lastUsed";
import { pressKey, selectedRows } from "./tools/registry";
import { toolKey } from "./tools/toolKeys";
import { type KeyEntry, keyMapStore, keyOf, pressedKey } from "./ui/keyMap";
import { endTransition, look, lookBy } from "./viewport/looking";

const VIEWS: ViewMode[] = ["free", "plan", "front", "side", "eye"];

/** One step back: the open card, the selection, the group that is open. */
function stepBack(): void {
  if (viewStore.getState().mode === "eye") lookBy("free");
  else if (runningStore.getState().card) openCard(null);
  else if (selectionStore.getState().ids.length) select([]);
  else leaveGroup();
}

/** Work within the selected group, or open the piece that the selected thing shows. */
function enterGroup(): void {
  const [row] = selectedRows();
  if (row?.kind === "group") openGroup(row.id);
  else if (row?.kind === "piece") setView({ stage: "shape" });
  else if (row) openInShape(row.id);
}

/** The last step with the next seed, where it has one. */
function nextSeed(): void {
  const { last } = levelStore.getState().history;
  const seed = last?.params.seed;
  if (last?.adjustable && typeof seed === "number") void adjustLast(last.tool, { ...last.params, seed: seed + 1 });
}

/** The card of copies that do not share their pieces. */
function duplicateIndependent(): void {
  remember("duplicate", { ...remembered("duplicate"), linked: false });
  openCard("duplicate");
}

interface Sheets {
  find: () => void;
  keys: () => void;
}

interface PageKey extends KeyEntry {
  act: (sheets: Sheets) => void;
}

const everywhere = (ours: string, does: string, act: PageKey["act"]): PageKey => ({
  scope: "everywhere",
  ours,
  does,
  act,
});
const stepNow = () => levelStore.getState().scene.level?.step ?? 0.5;

/** What keys do that belong to no tool. */
export const PAGE_KEYS: readonly PageKey[] = [
  everywhere("Ctrl+K", "find a tool", (sheets) => sheets.find()),
  everywhere("Ctrl+Z", "undo", () => void undo()),
  everywhere("Ctrl+Shift+Z", "redo", () => void redo()),
  everywhere("Ctrl+Shift+D", "duplicate with pieces of their own", duplicateIndependent),
  everywhere("Ctrl+A", "select all", () => (openPiece() ? void takeInMore("all") : select(here()))),
  everywhere("Ctrl+I", "invert the selection", () => (openPiece() ? void takeInMore("invert") : invertSelection())),
  everywhere("N", "draw the last shape again", drawAgain),
  everywhere("H", "hide the selection", hideSelection),
  everywhere("Shift+H", "show all", showAll),
  everywhere("I", "isolate the selection, on and off", toggleIsolated),
  everywhere("J", "glass, on and off", toggleGlass),
  everywhere("L", "look at the selection", () => look(false)),
  everywhere("Shift+L", "look at all", () => look(true)),
  everywhere("-", "halve the step", () => changeStep(0.5, stepNow())),
  everywhere("=", "double the step", () => changeStep(2, stepNow())),
  everywhere(",", "the first setting of the last step", askLastStep),
  everywhere(".", "the last step with the next seed", nextSeed),
];

/** What every key does now. */
function tableOf(tools: readonly ToolInfo[], sheets: Sheets): Map<string, () => void> {
  const table = new Map<string, () => void>();
  for (const key of new Set(tools.flatMap((t) => toolKey(t) ?? []))) {
    const same = tools.filter((t) => toolKey(t) === key);
    table.set(key, () => pressKey(same, (tool, why) => tell(`${tool.title}: ${why}`)));
  }
  for (const entry of PAGE_KEYS) {
    const key = keyOf(entry.ours);
    if (key) table.set(key, () => entry.act(sheets));
  }
  return table;
}

/** Bind the keys to the page; returns how to unbind them. */
export function bindKeys(tools: readonly ToolInfo[], sheets: Sheets): () => void {
  let table = tableOf(tools, sheets);
  const stop = keyMapStore.subscribe(() => {
    table = tableOf(tools, sheets);
  });
  const fixed: Record<string, () => void> = { Enter: enterGroup, "?": sheets.keys, Escape: stepBack };
  const down = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement;
    // a key that is to be put on something else
    if (target.closest("[data-waits=true]")) return;
    const writing = target.matches("input, textarea") || target.closest("[role=dialog], [role=alertdialog]") !== null;
    const key = event.key.toLowerCase();
    const pressed = pressedKey(event);
    if ((event.ctrlKey || event.metaKey) && !event.altKey) {
      if (writing && pressed !== keyOf("Ctrl+K")) return;
      const action = table.get(pressed ?? "");
      if (!action) return;
      event.preventDefault();
      // a list that has the keyboard would select all of its rows
      event.stopPropagation();
      action();
      return;
    }
    if (event.altKey) {
      const stage: Stage | undefined = STAGES[Number(event.code.replace("Digit", "")) - 1]?.id;
      if (!stage || !event.code.startsWith("Digit")) return;
      event.preventDefault();
      setView({ stage });
      return;
    }
    if (writing) return;
    endTransition();
    if (viewStore.getState().mode === "eye" && runningStore.getState().now === null && walkKey(event)) {
      event.preventDefault();
      event.stopPropagation();
      return;
    }
    if (runningKey(event)) {
      event.preventDefault();
      event.stopPropagation();
      return;
    }
    // in lists that opened for a choice, letters look for an entry; the level list leaves them to the tools
    if (target.closest("[role=menu], [role=listbox]") && key !== "escape") return;
    // on a button or in a list Enter is theirs
    if (key === "enter" && !target.matches("body, [role=application]")) return;
    const mode = event.shiftKey && event.code.startsWith("Digit") ? VIEWS[Number(event.code.slice(5)) - 1] : undefined;
    // where nothing is on a letter with Shift, it does what the letter does
    const action = mode
      ? () => lookBy(mode)
      : (fixed[event.key] ?? table.get(pressed ?? "") ?? table.get(pressed?.replace("Shift+", "") ?? ""));
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  };
  window.addEventListener("keydown", down, true);
  return () => {
    stop();
    window.removeEventListener("keydown", down, true);
  };
}
