import styled from "styled-components";
import { useHandlesWanted } from "../hand/handles/wanted";
import { elementHold, useElementHold } from "../state/elementHold";
import { openPiece, type PickMode, pickBy, useElements } from "../state/elements";
import { useLevel } from "../state/level";
import { select, useSelection } from "../state/selection";
import { takeStep } from "../state/steps";
import { useView } from "../state/view";
import { Button, Key, type Option, Picker, Segments } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { grouped } from "../ui/words";

const Bar = styled.div`
  position: absolute; z-index: 4; left: 50%; transform: translateX(-50%); display: flex; align-items: center; gap: 10px;
  padding: 4px 8px; border: 1px solid var(--line); border-radius: 4px; background: var(--panel); white-space: nowrap; color: var(--quiet);
  & > div { display: flex; align-items: center; gap: 6px; }
  & button { min-height: 1.5rem; }
  & b { color: var(--petrol); font-weight: 620; }
`;
const Top = styled(Bar)`
  top: 8px; border-color: var(--petrol); max-width: calc(100% - 16px); gap: 8px;
  & > span:first-child { min-width: 40px; overflow: hidden; text-overflow: ellipsis; }
  & button { padding: 2px 6px; }
`;
const Foot = styled(Bar)`bottom: 10px; left: calc(50% + 44px);`;
const Wide = styled.div`width: 5.25rem;`;
const Number_ = styled.div`width: 7rem; & > div { grid-template-columns: 2.875rem minmax(0, 1fr); }`;

const MODES = [
  { value: "vertex", label: "Vertices", key: "V" },
  { value: "edge", label: "Edges", key: "E" },
  { value: "face", label: "Faces", key: "F" },
  { value: "facet", label: "Facets", key: "R" },
];

/** Leave the piece that is open. */
export function leavePiece(): void {
  select([]);
}

/** What is open, how often it stands, what a click picks, and the way out. */
export function OpenBar() {
  useView((v) => v.stage);
  const ids = useSelection((s) => s.ids);
  const scene = useLevel((s) => s.scene);
  const mode = useElements((s) => s.mode);
  const open = openPiece();
  if (!open) return null;
  const often = scene.summary?.uses.find((u) => u.piece === open.id)?.items ?? 0;
  return (
    <Top role="toolbar" aria-label="Open piece">
      <span>
        {scene.level?.name} › <b>{open.name}</b>
      </span>
      <span>{often === 1 ? "1 use" : `${grouped(often)} uses`}</span>
      {often > 1 && ids[0] !== open.id && (
        <Button onPress={() => void takeStep("make_independent", {}, ids)}>Make independent</Button>
      )}
      <Segments label="Pick" value={mode} options={MODES} onChange={(v) => void pickBy(v as PickMode)} />
      <Button onPress={leavePiece}>
        <Key>Esc</Key> leaves
      </Button>
    </Top>
  );
}

const AXES = [
  { value: "piece", label: "Piece" },
  { value: "world", label: "World" },
  { value: "face", label: "Face" },
];
const PIVOTS = [
  { value: "middle", label: "Middle" },
  { value: "each", label: "Each part" },
  { value: "pivot", label: "Pivot" },
];
const KEEPS = [
  { value: "free", label: "Free" },
  { value: "edges", label: "Edges" },
  { value: "surface", label: "Surface" },
  { value: "normal", label: "Normal" },
];

interface ChoiceProps {
  words: string;
  label: string;
  options: readonly Option[];
  of: "axes" | "pivot" | "keepTo";
}

/** One of the ways in which the handles hold what is picked. */
function Choice({ words, label, options, of }: ChoiceProps) {
  const value = useElementHold((s) => s[of]);
  return (
    <div>
      {words}
      <Wide>
        <Picker label={label} value={value} options={options} onChange={(v) => elementHold.setState({ [of]: v })} />
      </Wide>
    </div>
  );
}

/** In which axes and about what the handles hold what is picked, and what moves keep to. */
export function ElementBar() {
  const stage = useView((v) => v.stage);
  const picked = useElements((s) => s.ids.size > 0);
  const radius = useElementHold((s) => s.radius);
  const wanted = useHandlesWanted();
  if (stage !== "shape" || !picked || !wanted || !openPiece()) return null;
  return (
    <Foot role="toolbar" aria-label="Handles">
      <Choice words="Axes" label="Axes of the handles" options={AXES} of="axes" />
      <Choice words="Pivot" label="Pivot of the handles" options={PIVOTS} of="pivot" />
      <Choice words="Keep to" label="Moves keep to" options={KEEPS} of="keepTo" />
      <Number_>
        <NumberField
          label="Falloff"
          value={radius}
          unit="m"
          step={0.1}
          onCommit={(v) => typeof v === "number" && elementHold.setState({ radius: Math.max(0, v) })}
        />
      </Number_>
    </Foot>
  );
}
