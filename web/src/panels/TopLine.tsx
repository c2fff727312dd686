import { Redo2, Search, Undo2 } from "lucide-react";
import styled from "styled-components";
import { useProject } from "../api/queries";
import { useLevel } from "../state/level";
import { redo, undo } from "../state/steps";
import { type Stage, setView, useView } from "../state/view";
import { Button, IconButton, KeyFor } from "../ui/controls";
import { LevelMenu } from "./LevelMenu";

const Bar = styled.header`
  display: grid; grid-template-columns: 1fr auto 1fr; align-items: center; padding: 0 14px; background: var(--panel);
  border-bottom: 1px solid var(--line); gap: 12px;
  & > div { display: flex; align-items: center; gap: 8px; min-width: 0; }
  & > div:last-child { justify-content: flex-end; }
`;
const Stages = styled.nav`
  display: flex; gap: 2px;
  & button { all: unset; padding: 6px 15px 4px; cursor: pointer; text-align: center; border-radius: 3px; }
  & button::after { content: ""; display: block; width: 7px; height: 6px; margin: 4px auto 0; border-radius: 1px; background: var(--line); }
  & button:hover { background: var(--sheet); }
  & button[aria-current="step"] { color: var(--brick); font-weight: 640; }
  & button[aria-current="step"]::after { width: 30px; background: var(--brick); }
  & button:focus-visible { outline: 2px solid var(--petrol); outline-offset: -2px; }
`;
const Find = styled(Button)`
  min-width: 176px; justify-content: flex-start; color: var(--quiet); background: var(--field);
  & span { flex: 1; text-align: left; }
`;
const Saved = styled.span`
  color: var(--quiet); min-width: 58px; text-align: right; white-space: nowrap;
  &[data-state="offline"] { color: var(--error); font-weight: 600; }
`;

export const STAGES: { id: Stage; word: string; tip: string }[] = [
  { id: "kit", word: "Kit", tip: "Make or bring in pieces" },
  { id: "build", word: "Build", tip: "Place pieces, lay courses" },
  { id: "shape", word: "Shape", tip: "Edit a piece's mesh" },
  { id: "slim", word: "Slim", tip: "Reduce polygons" },
  { id: "ship", word: "Ship", tip: "Check and export" },
];

interface TopLineProps {
  onLevel: (id: string) => void;
  onSettings: () => void;
  /** None while the tools are not known yet. */
  onFind: (() => void) | undefined;
}

/** Mark, level, stages, history, tools, and whether all is saved. */
export function TopLine({ onLevel, onSettings, onFind }: TopLineProps) {
  const stage = useView((v) => v.stage);
  const history = useLevel((s) => s.history);
  const busy = useLevel((s) => s.busy > 0);
  const online = useLevel((s) => s.online);
  const looking = useProject()?.read_only != null;
  return (
    <Bar>
      <div>
        <Mark />
        <LevelMenu onLevel={onLevel} onSettings={onSettings} />
      </div>
      <Stages aria-label="Stages">
        {STAGES.map((s, k) => (
          <button
            key={s.id}
            type="button"
            title={`${s.tip} · Alt+${k + 1}`}
            aria-current={s.id === stage ? "step" : undefined}
            onClick={() => setView({ stage: s.id })}
          >
            {s.word}
          </button>
        ))}
      </Stages>
      <div>
        <IconButton
          label={history.last ? `Undo ${history.last.title.toLowerCase()}` : "Undo"}
          keys="Ctrl+Z"
          isDisabled={!history.last}
          onPress={() => void undo()}
        >
          <Undo2 size={16} aria-hidden />
        </IconButton>
        <IconButton
          label={history.redo ? `Redo ${history.redo.title.toLowerCase()}` : "Redo"}
          keys="Ctrl+Shift+Z"
          isDisabled={!history.redo}
          onPress={() => void redo()}
        >
          <Redo2 size={16} aria-hidden />
        </IconButton>
        <Find isDisabled={!onFind} onPress={() => onFind?.()}>
          <Search size={14} aria-hidden />
          <span>Find a tool</span>
          <KeyFor ours="Ctrl+K" />
        </Find>
        <Saved role="status" data-state={online ? "online" : "offline"}>
          {!online ? "No server" : looking ? "Read only" : busy ? "Saving …" : "Saved"}
        </Saved>
      </div>
    </Bar>
  );
}

function Mark() {
  return (
    <svg width="28" height="22" viewBox="0 1 28 22" role="img" aria-label="Able Brick">
      <g fill="var(--brick)">
        <rect x="8" y="3" width="12" height="8" rx="1" opacity="0.8" />
        <rect x="1" y="13" width="12" height="8" rx="1" />
        <rect x="15" y="13" width="12" height="8" rx="1" />
      </g>
    </svg>
  );
}
