import { redo, undo } from "./api/steps";
import type { ToolInfo } from "./api/types";
import { STAGES } from "./panels/TopLine";
import { changeStep } from "./panels/ViewStrip";
import { levelStore } from "./state/level";
import { hideSelection, showAll, toggleGlass, toggleIsolated } from "./state/marks";
import { tell } from "./state/messages";
import { openCard, runningStore } from "./state/running";
import { invertSelection, select } from "./state/selection";
import { type Stage, setView, type ViewMode } from "./state/view";
import { selectedRows, startTool, whyNot } from "./tools/registry";
import { drawAgain } from "./viewport/drawing";
import { boxToLookAt, lookAtBox, runningKey } from "./viewport/input";

const VIEWS: ViewMode[] = ["free", "plan", "front", "side"];

export function look(all: boolean): void {
  const box = boxToLookAt(all);
  if (box) lookAtBox(box.low, box.high);
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
    p: () => start("set_pivot"),
    n: drawAgain,
    k: () => start("dock"),
    h: hideSelection,
    i: toggleIsolated,
    j: toggleGlass,
    delete: () => start("delete"),
    l: () => look(false),
    "-": () => changeStep(0.5, levelStore.getState().scene.level?.step ?? 0.5),
    "=": () => changeStep(2, levelStore.getState().scene.level?.step ?? 0.5),
    "?": sheets.keys,
    escape: () => (runningStore.getState().card ? openCard(null) : select([])),
  };
  const shifted: Record<string, () => void> = { l: () => look(true), h: showAll };
  const control: Record<string, () => void> = {
    k: sheets.find,
    z: () => void undo(),
    d: () => start("duplicate"),
    a: () => select([...levelStore.getState().scene.things.keys()]),
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
    if (runningKey(event)) {
      event.preventDefault();
      event.stopPropagation();
      return;
    }
    // in lists that opened for a choice, letters look for an entry; the level list leaves them to the tools
    if (target.closest("[role=menu], [role=listbox]:not([aria-label=Level])") && key !== "escape") return;
    const mode = event.shiftKey && event.code.startsWith("Digit") ? VIEWS[Number(event.code.slice(5)) - 1] : undefined;
    const action = mode ? () => setView({ mode }) : event.shiftKey ? (shifted[key] ?? plain[key]) : plain[key];
    if (!action) return;
    event.preventDefault();
    event.stopPropagation();
    action();
  };
  window.addEventListener("keydown", down, true);
  return () => window.removeEventListener("keydown", down, true);
}
