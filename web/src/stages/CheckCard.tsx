import { Crosshair } from "lucide-react";
import { useState } from "react";
import styled from "styled-components";
import { useCheck } from "../api/queries";
import type { Check, Elements } from "../api/types";
import { Facts } from "../panels/cards/parts";
import { Card, Quiet } from "../panels/parts";
import { elementsNow, openPiece, takeElements, useElements } from "../state/elements";
import { useLevel } from "../state/level";
import { selectionStore, useSelection } from "../state/selection";
import { takeStep } from "../state/steps";
import { useView } from "../state/view";
import { Button, IconButton, Tipped } from "../ui/controls";
import { grouped } from "../ui/words";
import { look } from "../viewport/looking";

type Counted = Check["kinds"][number];

const Rows = styled.div`
  display: grid; grid-template-columns: 1fr 1fr; gap: 2px 8px;
  & button { justify-content: space-between; min-height: 1.5rem; padding: 1px 6px; border-color: transparent; }
  & button b { font-weight: 560; }
`;
const Faults = styled.ul`
  margin: 0; padding: 0; list-style: none; display: grid; gap: 2px;
  & li { display: grid; grid-template-columns: 1fr auto 3.125rem; gap: 4px; align-items: center; }
  & button { min-height: 1.5rem; padding: 1px 6px; }
  & li > button:first-child { justify-content: space-between; border-color: transparent; }
  & li b { font-weight: 560; }
  & li[data-fault="true"] b { color: var(--error); }
`;

const mend = (faults: readonly string[]) =>
  takeStep("mend", { faults, elements: elementsNow() }, selectionStore.getState().ids);

/** Pick elements, and look at them. */
function goTo(elements: Elements): void {
  takeElements(elements);
  look(false);
}

/** One kind of what should not be there, or may be mended: a click picks it, the cross goes from place to place. */
function Fault({ kind }: { kind: Counted }) {
  const [at, setAt] = useState(-1);
  const { places } = kind;
  const next = (at + 1) % Math.max(1, places.length);
  const place = places[next];
  const where =
    places.length > 1 ? `Go to place ${next + 1} of ${places.length}: ${kind.words}` : `Go to: ${kind.words}`;
  return (
    <li data-fault={kind.fault}>
      <Tipped text={kind.about}>
        <Button onPress={() => takeElements(kind.elements)}>
          <span>{kind.words}</span> <b>{grouped(kind.count)}</b>
        </Button>
      </Tipped>
      <IconButton
        label={where}
        isDisabled={!place}
        onPress={() => {
          setAt(next);
          if (place) goTo(place);
        }}
      >
        <Crosshair size={14} aria-hidden />
      </IconButton>
      {kind.mend ? (
        <Tipped text={`${kind.does}. ${kind.safe ? "Nothing else changes." : "The form may change."}`}>
          <Button aria-label={`Mend: ${kind.words}`} onPress={() => kind.mend && mend([kind.mend])}>
            Mend
          </Button>
        </Tipped>
      ) : (
        <span />
      )}
    </li>
  );
}

/** What of the open piece is worth a look before it goes to an engine; a click picks it. */
export function CheckCard() {
  const on = useView((v) => v.check);
  const level = useLevel((s) => s.levelId);
  useSelection((s) => s.ids);
  useLevel((s) => s.scene);
  useElements((s) => s.mesh);
  const open = openPiece();
  const found = useCheck(level, on ? open : null);
  if (!on || !open || !found) return null;
  const there = found.kinds.filter((k) => k.count > 0);
  const faults = there.filter((k) => k.fault);
  const more = there.filter((k) => !k.fault && k.mend);
  const rows = found.kinds.filter((k) => !k.fault && !k.mend);
  const safe = faults.filter((k) => k.safe);
  return (
    <Card aria-label="Check">
      <header>
        <h2>Check</h2>
        <span>
          {faults.length === 0 ? "nothing is wrong" : `${faults.length} ${faults.length === 1 ? "fault" : "faults"}`}
        </span>
      </header>
      <div>
        {safe.length > 0 && (
          <Tipped text={safe.map((k) => `${k.words}: ${k.does}`).join(". ")}>
            <Button data-main="true" onPress={() => mend([])}>
              Mend all that is safe
            </Button>
          </Tipped>
        )}
        {faults.length + more.length > 0 && (
          <Faults aria-label="What may be mended">
            {[...faults, ...more].map((k) => (
              <Fault key={k.code} kind={k} />
            ))}
          </Faults>
        )}
        <Facts>
          <dt>Triangles for the engine</dt>
          <dd>{grouped(found.triangles)}</dd>
          <dt>Vertices</dt>
          <dd>{grouped(found.vertices)}</dd>
          <dt>Hardware vertices</dt>
          <dd>{grouped(found.hardware_vertices)}</dd>
        </Facts>
        <Rows role="group" aria-label="What there is">
          {rows.map((k) => (
            <Tipped key={k.code} text={k.about}>
              <Button isDisabled={k.count === 0} onPress={() => takeElements(k.elements)}>
                <span>{k.words}</span> <b>{grouped(k.count)}</b>
              </Button>
            </Tipped>
          ))}
        </Rows>
        <Quiet>A click picks what is counted.</Quiet>
      </div>
    </Card>
  );
}
