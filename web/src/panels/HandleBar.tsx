import styled from "styled-components";
import { frameOfNormal, frameThrough } from "../hand/handles/pickedAxes";
import { useHandlesWanted } from "../hand/handles/wanted";
import { startPicking } from "../hand/modes/pick";
import { type HandleAxes, type HandlePivot, held, setHandles, useHandles } from "../state/handles";
import { levelStore, useLevel } from "../state/level";
import { selectionStore, useSelection } from "../state/selection";
import { useView } from "../state/view";
import { Button, KeyFor, Picker } from "../ui/controls";
import { VectorField } from "../ui/fields";

const Bar = styled.div`
  position: absolute; z-index: 4; bottom: 10px; left: 50%; transform: translateX(-50%); display: flex; align-items: center; gap: 10px;
  padding: 4px 8px; border: 1px solid var(--line); border-radius: 4px; background: var(--panel); white-space: nowrap;
  & > label, & > div { display: flex; align-items: center; gap: 6px; color: var(--quiet); }
  & button { min-height: 1.5rem; }
  & button[data-on="true"] { background: var(--dark); color: var(--on-dark); }
`;
const Wide = styled.div`width: 7.375rem;`;
const At = styled.div`width: 13.125rem;`;

const AXES = [
  { value: "world", label: "World" },
  { value: "piece", label: "Piece" },
  { value: "group", label: "Group" },
  { value: "screen", label: "Screen" },
  { value: "face", label: "Pick a face …" },
  { value: "points", label: "Pick two points …" },
];
const PIVOTS = [
  { value: "middle", label: "Middle" },
  { value: "each", label: "Each its own" },
  { value: "first", label: "First selected" },
  { value: "picked", label: "Pick a point …" },
  { value: "typed", label: "Typed" },
];

function chooseAxes(value: string): void {
  if (value === "face") {
    startPicking({
      piece: null,
      within: true,
      words: "Click the face whose axes the handles take",
      done: (f) => setHandles({ axes: "picked", frame: frameOfNormal(f.normal) }),
    });
  } else if (value === "points") {
    startPicking({
      piece: null,
      words: "Click where the X axis starts",
      done: (a) =>
        startPicking({
          piece: null,
          words: "Click where the X axis leads",
          done: (b) => {
            const frame = frameThrough(a.point, b.point);
            if (frame) setHandles({ axes: "picked", frame });
          },
        }),
    });
  } else setHandles({ axes: value as HandleAxes });
}

function choosePivot(value: string): void {
  if (value === "picked") {
    startPicking({
      piece: null,
      words: "Click the vertex, edge or face to turn about",
      done: (feature) => setHandles({ pivot: "picked", point: feature.point, feature }),
    });
  } else if (value === "typed") {
    const { scene } = levelStore.getState();
    const first = held(scene, selectionStore.getState().ids)?.[0];
    setHandles({ pivot: "typed", point: first ? [...first.position] : [0, 0, 0] });
  } else setHandles({ pivot: value as HandlePivot, feature: null });
}

/** In which axes and about which pivot the handles move and turn, and whether they size. */
export function HandleBar() {
  const scene = useLevel((s) => s.scene);
  const ids = useSelection((s) => s.ids);
  const hold = useHandles((h) => h);
  const wanted = useHandlesWanted();
  const eye = useView((v) => v.mode === "eye");
  const stage = useView((v) => v.stage);
  if (!wanted || eye || stage === "shape" || !held(scene, ids)) return null;
  const axes = hold.axes === "picked" ? [...AXES, { value: "picked", label: "Picked" }] : AXES;
  const pivots = hold.pivot === "picked" ? [...PIVOTS, { value: "here", label: "Picked" }] : PIVOTS;
  return (
    <Bar role="toolbar" aria-label="Handles">
      <div>
        Axes
        <Wide>
          <Picker label="Axes of the handles" value={hold.axes} options={axes} onChange={chooseAxes} />
        </Wide>
      </div>
      <div>
        Pivot
        <Wide>
          <Picker
            label="Pivot of the handles"
            value={hold.pivot === "picked" ? "here" : hold.pivot}
            options={pivots}
            onChange={(v) => v !== "here" && choosePivot(v)}
          />
        </Wide>
      </div>
      {hold.pivot === "typed" && (
        <At>
          <VectorField label="" unit="m" value={hold.point} step={0.5} onCommit={(point) => setHandles({ point })} />
        </At>
      )}
      {hold.pivot !== "middle" && (
        <Button onPress={() => setHandles({ pivot: "middle", feature: null })}>Back to the middle</Button>
      )}
      <Button aria-pressed={hold.sizing} data-on={hold.sizing} onPress={() => setHandles({ sizing: !hold.sizing })}>
        Size <KeyFor ours="Z" />
      </Button>
    </Bar>
  );
}
