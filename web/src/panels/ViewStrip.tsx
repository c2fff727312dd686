import { Equal, Minus, ScanSearch } from "lucide-react";
import { useMemo } from "react";
import styled from "styled-components";
import { useLevel } from "../state/level";
import { setRungs, useRungs } from "../state/rungs";
import { takeStep } from "../state/steps";
import { type DrawMode, setView, useView, type ViewMode } from "../state/view";
import { Button, IconButton, KeyFor, Picker, Segments } from "../ui/controls";
import { shortLength, useUnit } from "../ui/lengths";
import { lookBy } from "../viewport/looking";
import { FoldButton } from "./Edge";

const Strip = styled.div`
  display: flex; flex-wrap: wrap; align-items: center; gap: 4px 10px; padding: 2px 10px; min-height: var(--strip); background: var(--panel); border-bottom: 1px solid var(--line);
  white-space: nowrap;
  & > :nth-child(3) { flex: 1; display: flex; align-items: center; gap: 6px; }
  & > :last-child { margin-left: auto; }
`;
const Step = styled.div`
  display: flex; align-items: center; gap: 6px; color: var(--quiet);
  & b { color: var(--ink); font-weight: 560; min-width: 52px; text-align: center; }
`;

const Alone = styled(Button)`color: var(--ochre); min-height: 1.5rem; padding: 0 8px;`;

const Rungs = styled.div`display: flex; align-items: center; gap: 6px; color: var(--quiet); & > div { width: 7rem; }`;

const rungOptions = (most: number) => [
  { value: "source", label: "Source" },
  { value: "distance", label: "By distance" },
  ...Array.from({ length: most }, (_, k) => ({ value: String(k + 1), label: `Rung ${k + 1}` })),
];
const VIEWS = [
  { value: "free", label: "Free" },
  { value: "plan", label: "Plan" },
  { value: "front", label: "Front" },
  { value: "side", label: "Side" },
  { value: "eye", label: "Eye" },
];
const DRAWS = [
  { value: "solid", label: "Solid" },
  { value: "edges", label: "Edges" },
  { value: "mesh", label: "All edges" },
  { value: "glass", label: "Glass" },
];

export const changeStep = (factor: number, step: number): void =>
  void takeStep("level_settings", { step: Math.min(1000, Math.max(0.001, step * factor)) }, []);

/** How one looks, what is drawn, and the grid step. */
export function ViewStrip() {
  const unit = useUnit();
  const mode = useView((v) => v.mode);
  const draw = useView((v) => v.draw);
  const isolated = useView((v) => v.isolated !== null);
  const step = useLevel((s) => s.scene.level?.step ?? 0.5);
  const stage = useView((v) => v.stage);
  const check = useView((v) => v.check);
  const draws = useRungs((s) => s.draws);
  const pieces = useLevel((s) => s.scene.pieces);
  const laddered = useMemo(
    () => Math.max(0, ...[...pieces.values()].map((p) => p.ladder?.rungs.length ?? 0)),
    [pieces],
  );
  return (
    <Strip role="toolbar" aria-label="View">
      <FoldButton side="left" />
      <Segments label="View" value={mode} options={VIEWS} onChange={(v) => lookBy(v as ViewMode)} />
      <div>
        <Segments label="Draw" value={draw} options={DRAWS} onChange={(v) => setView({ draw: v as DrawMode })} />
        {stage === "shape" && (
          <IconButton label="Check" pressed={check} onPress={() => setView({ check: !check })}>
            <ScanSearch size={16} aria-hidden />
          </IconButton>
        )}
      </div>
      {stage === "slim" && laddered > 0 && (
        <Rungs>
          Rungs
          <Picker
            label="Rungs"
            value={draws}
            options={rungOptions(laddered)}
            onChange={(v) => setRungs({ draws: v })}
          />
        </Rungs>
      )}
      {isolated && (
        <Alone onPress={() => setView({ isolated: null })}>
          Isolated <KeyFor ours="I" />
        </Alone>
      )}
      <Step>
        {stage !== "slim" && (
          <>
            {stage !== "shape" && "Step"}
            <IconButton label="Halve the step" keys="-" onPress={() => changeStep(0.5, step)}>
              <Minus size={14} aria-hidden />
            </IconButton>
            <b>{shortLength(step, 6, unit)}</b>
            <IconButton label="Double the step" keys="=" onPress={() => changeStep(2, step)}>
              <Equal size={14} aria-hidden />
            </IconButton>
          </>
        )}
      </Step>
      <FoldButton side="cards" />
    </Strip>
  );
}
