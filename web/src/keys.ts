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

/** Keys whose name is not what they say. */
const NAMED: Record<string, string> = { Del: "delete" };

interface Sheets {
  find: () => void;
  keys: () => void;
}

/** Bind the keys to the page; returns how to unbind them. */
export function bindKeys(tools: readonly ToolInfo[], sheets: Sheets): () => void {
  const plain: Record<string, () => void> = {
    enter: enterGroup,
    n: drawAgain,
    h: hideSelection,
    i: toggleIsolated,
    j: toggleGlass,
    l: () => look(false),
    "-": () => changeStep(0.5, levelStore.getState().scene.level?.step ?? 0.5),
    "=": () => changeStep(2, levelStore.getState().scene.level?.step ?? 0.5),
    "?": sheets.keys,
    escape: stepBack,
    ".": nextSeed,
    ",": askLastStep,
  };
  const shifted: Record<string, () => void> = { l: () => look(true), h: showAll };
  const control: Record<string, () => void> = {
    k: sheets.find,
    z: () => void undo(),
    a: () => (openPiece() ? void takeInMore("all") : select(here())),
    i: () => (openPiece() ? void takeInMore("invert") : invertSelection()),
  };
  const both: Record<string, () => void> = { z: () => void redo(), d: duplicateIndependent };
  const tables: Record<string, Record<string, () => void>> = { Ctrl: control, Shift: shifted };
  for (const key of new Set(tools.flatMap((t) => t.key ?? []))) {
    const same = tools.filter((t) => t.key === key);
    const [letter = "", table = ""] = key.split("+").reverse();
    (tables[table] ?? plain)[NAMED[letter] ?? letter.toLowerCase()] = () =>
      pressKey(same, (tool, why) => tell(`${tool.title}: ${why}`));
  }
  const down = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement;
    const writing = target.matches("input, textarea") || target.closest("[role=dialog], [role=alertdialog]") !== null;
    const key = event.key.toLowerCase();
    if ((event.ctrlKey || event.metaKey) && !event.altKey) {
      if (writing && key !== "k") return;
      const action = event.shiftKey ? both[key] : control[key];
      if (!action) return;
      event.preventDefault();
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
    const action = mode ? () => lookBy(mode) : event.shiftKey ? (shifted[key] ?? plain[key]) : plain[key];
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  };
  window.addEventListener("keydown", down, true);
  return () => window.removeEventListener("keydown", down, true);
}
