import type { Measure } from "../../api/types";
import { lengthOf } from "../../state/kinds/measure";
import { length, useUnit } from "../../ui/lengths";
import { MarkButtons } from "../MarkButtons";
import { Card } from "../parts";
import { Facts } from "./parts";

/** A measure that is kept in sight. */
export function MeasureRowCard({ row: measure }: { row: Measure }) {
  const unit = useUnit();
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{measure.name}</h2>
        <span>measure</span>
        <MarkButtons things={[measure]} />
      </header>
      <div>
        <Facts>
          <dt>Distance</dt>
          <dd>{length(lengthOf(measure), 3, unit)}</dd>
        </Facts>
      </div>
    </Card>
  );
}
