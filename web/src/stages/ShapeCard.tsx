import { useState } from "react";
import styled from "styled-components";
import { Card, Quiet } from "../panels/parts";
import { BoxTakes } from "../panels/SelectionCard";
import { cageOf, countIn } from "../scene/elements/cage";
import { type ElementMeasures, measuresOf } from "../scene/elements/measures";
import { useMesh } from "../scene/pieces/meshes";
import { elementsNow, KIND_WORDS, openPiece, pickElements, takeInMore, useElements } from "../state/elements";
import { useLevel } from "../state/level";
import { useSelection } from "../state/selection";
import { sourceOf } from "../state/source";
import { takeStep } from "../state/steps";
import { Button, Key } from "../ui/controls";
import { VectorField } from "../ui/fields";
import { length, useUnit } from "../ui/lengths";
import { NumberField } from "../ui/NumberField";
import { grouped } from "../ui/words";
import { FinishLine } from "./FinishLine";
import { ALONG_KINDS, type HowWord } from "./takeIn";

const More = styled.div`
  display: flex; flex-wrap: wrap; gap: 4px;
  & button { min-height: 1.5rem; padding: 2px 8px; }
`;

const Trio = styled.div`
  display: grid; grid-template-columns: repeat(3, minmax(0, 1fr)); gap: 4px 6px; align-items: end;
  &:empty { display: none; }
  & p { min-height: 2.5rem; text-align: right; }
  & small { display: block; font-size: 0.6875rem; line-height: 0.875rem; color: var(--quiet); padding-bottom: 3px; }
`;

interface Length {
  label: string;
  side: "length" | "width" | "height";
  value: number;
}

/** The lengths of what is picked that can be typed. */
function sidesOf(found: ElementMeasures, count: number): Length[] {
  if (found.across) {
    const [width, height] = found.across;
    return [
      { label: "Width", side: "width", value: width },
      { label: "Height", side: "height", value: height },
    ];
  }
  if (found.apart !== undefined) return [{ label: "Apart", side: "length", value: found.apart }];
  return found.long !== undefined && count === 1 ? [{ label: "Length", side: "length", value: found.long }] : [];
}

const stretch = (side: Length["side"], length: number, ids: readonly string[]): void =>
  void takeStep("stretch_elements", { elements: elementsNow(), side, length }, ids);

/** The piece that is open, what is picked of it with its numbers, and what else belongs to that. */
export function ShapeCard() {
  const unit = useUnit();
  const ids = useSelection((s) => s.ids);
  const pieces = useLevel((s) => s.scene.pieces);
  const { ids: chosen, kind, mode, mesh } = useElements((s) => s);
  const [more, setMore] = useState(false);
  const open = openPiece();
  const piece = open && pieces.get(open.id);
  const source = piece ? sourceOf(piece) : "";
  const drawn = useMesh(source, source !== "");
  if (!piece) {
    return (
      <Card aria-label="Shape">
        <header>
          <h2>Shape</h2>
        </header>
        <div>
          <Quiet>
            {ids.length > 1
              ? "Several are selected: select one to open its piece."
              : "Select one placement, or a piece of the shelf, to open it. Click its faces, edges or vertices then to pick them."}
          </Quiet>
        </div>
      </Card>
    );
  }
  const count = mesh === source ? chosen.size : 0;
  const cage = drawn && cageOf(drawn);
  const all = cage ? countIn(cage, kind) : 0;
  const [one, plural] = KIND_WORDS[kind];
  const found = cage && count > 0 ? measuresOf(piece, cage, kind, chosen) : null;
  const letters: Record<string, string> = { grow: "+", shrink: "Back" };
  return (
    <Card aria-label="Shape">
      <header>
        <h2>{piece.name}</h2>
        <span>
          {count === 0
            ? `${grouped(all)} ${plural}`
            : `${grouped(count)} of ${grouped(all)} ${all === 1 ? one : plural}`}
        </span>
      </header>
      <div>
        {count === 0 && (
          <Quiet>
            Click {mode === "edge" ? "an edge" : `a ${KIND_WORDS[mode][0]}`} to pick it, or drag a box round several;
            while dragging, Q follows the hand.
          </Quiet>
        )}
        {found && (
          <>
            <Trio>
              {sidesOf(found, count).map(({ label, side, value }) => (
                <NumberField
                  key={label}
                  label={label}
                  unit="m"
                  look="under"
                  value={value}
                  most={4}
                  step={0.05}
                  onCommit={(v) => v !== null && stretch(side, v, ids)}
                />
              ))}
              {found.area !== undefined && (
                <p>
                  <small>Area</small>
                  {found.area.toFixed(found.area < 1 ? 4 : 2)} m²
                </p>
              )}
              {found.long !== undefined && count > 1 && (
                <p>
                  <small>Length of all</small>
                  {length(found.long, 2, unit)}
                </p>
              )}
            </Trio>
            <VectorField
              label={kind === "vertex" && count === 1 ? "At" : "Middle"}
              unit="m"
              most={4}
              value={found.at}
              step={0.05}
              onCommit={(at) => void takeStep("place_elements", { elements: elementsNow(), at }, ids)}
            />
          </>
        )}
        <More role="group" aria-label="Take in more">
          {ALONG_KINDS[kind]
            .filter((w) => more || !w.rest)
            .map(({ how, word, always }: HowWord) => (
              <Button key={how} isDisabled={count === 0 && !always} onPress={() => void takeInMore(how)}>
                {word} {letters[how] && <Key>{letters[how]}</Key>}
              </Button>
            ))}
          {kind !== "vertex" && <Button onPress={() => setMore(!more)}>{more ? "Fewer" : "More"}</Button>}
          {count > 0 && <Button onPress={() => pickElements(kind, [])}>Let go</Button>}
        </More>
        <FinishLine piece={piece} ids={ids} />
        <BoxTakes />
      </div>
    </Card>
  );
}
