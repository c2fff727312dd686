import styled from "styled-components";
import { useCheck } from "../api/queries";
import { Facts } from "../panels/cards/parts";
import { Card, Quiet } from "../panels/parts";
import { openPiece, takeElements, useElements } from "../state/elements";
import { useLevel } from "../state/level";
import { useSelection } from "../state/selection";
import { useView } from "../state/view";
import { Button, Tipped } from "../ui/controls";
import { grouped } from "../ui/words";

const Rows = styled.div`
  display: grid; grid-template-columns: 1fr 1fr; gap: 2px 8px;
  & button { justify-content: space-between; min-height: 1.5rem; padding: 1px 6px; border-color: transparent; }
  & button b { font-weight: 560; }
  & button[data-fault="true"] b { color: var(--error); }
`;

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
  const rows = found.kinds.filter((k) => k.count > 0 || !k.fault);
  const faults = found.kinds.filter((k) => k.fault && k.count > 0).length;
  return (
    <Card aria-label="Check">
      <header>
        <h2>Check</h2>
        <span>{faults === 0 ? "nothing is wrong" : `${faults} ${faults === 1 ? "fault" : "faults"}`}</span>
      </header>
      <div>
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
              <Button isDisabled={k.count === 0} data-fault={k.fault} onPress={() => takeElements(k.elements)}>
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
