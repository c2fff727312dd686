import { redo, undo } from "./api/steps";
import type { ToolInfo } from "./api/types";
import { STAGES } from "./panels/TopLine";
import { changeStep } from "./panels/ViewStrip";
import { holdStore, setHold } from "./state/hold";
import { levelStore } from "./state/level";
import { hideSelection, showAll, toggleGlass, toggleIsolated } from "./state/marks";
import { tell } from "./state/messages";
import { openCard, runningStore } from "./state/running";
import { invertSelection, leaveGroup, openGroup, select, selectionStore } from "./state/selection";
import { here } from "./state/tree";
import { type Stage, setView, type ViewMode, viewStore } from "./state/view";
import { selectedRows, startTool, whyNot } from "./tools/registry";
import { startDock } from "./viewport/docking";
import { drawAgain } from "./viewport/drawing";
import { runningKey } from "./viewport/input";
import { boxToLookAt, endTransition, lookAtBox, lookBy } from "./viewport/looking";
import { walkKey } from "./viewport/walk";

const VIEWS: ViewMode[] = ["free", "plan", "front", "side", "eye"];

export function look(all: boolean): void {
  const box = boxToLookAt(all);
  if (box) lookAtBox(box);
}

/** One step back: the open card, the selection, the group that is open. */
function stepBack(): void {
  if (viewStore.getState().mode === "eye") lookBy("free");
  else if (runningStore.getState().card) openCard(null);
  else if (selectionStore.getState().ids.length) select([]);
  else leaveGroup();
}

/** Work within the selected group. */
function enterGroup(): void {
  const [row] = selectedRows();
  if (row?.kind === "group") openGroup(row.id);
}

interface Sheets {
  find: () => void;
  keys: () => void;
}

/** Bind the keys to the page; returns how to unbind them. */
export function bindKeys(tools: readonly ToolInfo[], sheets: Sheets): () => void {
  const start = (name: string) => {
    const tool = tools.find((t) => t.tool === name);
    if (!tool) return;
    const reason = whyNot(tool, selectedRows());
    if (reason === null) startTool(tool);
    else tell(`${tool.title}: ${reason}`);
  };
  const plain: Record<string, () => void> = {
    p: () => start(selectedRows()[0]?.kind === "group" ? "group_pivot" : "set_pivot"),
    g: () => start("make_group"),
    z: () => setHold({ sizing: !holdStore.getState().sizing }),
    enter: enterGroup,
    n: drawAgain,
    // with nothing selected, what is gripped is what is docked
    k: () => (selectionStore.getState().ids.length ? start("dock") : startDock()),
    m: () => start("keep_measure"),
    h: hideSelection,
    i: toggleIsolated,
    j: toggleGlass,
    delete: () => start("delete"),
    l: () => look(false),
    "-": () => changeStep(0.5, levelStore.getState().scene.level?.step ?? 0.5),
    "=": () => changeStep(2, levelStore.getState().scene.level?.step ?? 0.5),
    "?": sheets.keys,
    escape: stepBack,
  };
  const shifted: Record<string, () => void> = { l: () => look(true), h: showAll, g: () => start("dissolve_group") };
  const control: Record<string, () => void> = {
    k: sheets.find,
    z: () => void undo(),
    d: () => start("duplicate"),
    a: () => select(here()),
    i: invertSelection,
  };
  const down = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement;
    const writing = target.matches("input, textarea, [role=dialog] *");
    const key = event.key.toLowerCase();
    if ((event.ctrlKey || event.metaKey) && !event.altKey) {
      if (writing && key !== "k") return;
      const action = event.shiftKey ? (key === "z" ? () => void redo() : undefined) : control[key];
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
