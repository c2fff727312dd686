import { RulerDimensionLine } from "lucide-react";
import styled from "styled-components";
import { askFits, keepMeasure, measuring } from "../hand/modes/measure";
import { run } from "../state/running";
import { setView, useView } from "../state/view";
import { Button } from "../ui/controls";
import { length, useUnit } from "../ui/lengths";
import { NumberField } from "../ui/NumberField";
import { Card, Quiet } from "./parts";

const Facts = styled.dl`
  margin: 0; display: grid; grid-template-columns: max-content 1fr; gap: 2px 12px;
  & dt { color: var(--quiet); } & dd { margin: 0; text-align: right; font-variant-numeric: tabular-nums; }
  & dd b { font-weight: 640; }
`;
const Row = styled.div`display: flex; gap: 6px; & > * { flex: 1; }`;
const Verdict = styled.p`
  font-weight: 600; color: var(--petrol);
  &[data-fits="false"] { color: var(--error); }
`;

/** What is measured between picks: distance, its parts, the angle; and whether a player fits. */
export function MeasureCard() {
  const now = measuring.use();
  const unit = useUnit();
  const body = useView((v) => v.body);
  if (!now) return null;
  const { found, fits, picked } = now;
  const set = (part: Partial<typeof body>) => setView({ body: { ...body, ...part } });
  return (
    <Card aria-label="Measure">
      <header>
        <RulerDimensionLine size={16} aria-hidden />
        <h2>Measure</h2>
      </header>
      <div>
        {!found ? (
          <Quiet>
            {picked.length === 0
              ? "Click a vertex, an edge middle or a face centre; then a second one, and a third for the angle between."
              : "Click the second feature."}
          </Quiet>
        ) : (
          <>
            <Facts aria-live="polite">
              <dt>Distance</dt>
              <dd>
                <b>{length(found.distance, 3, unit)}</b>
              </dd>
              {(["X", "Y", "Z"] as const).map((axis, k) => [
                <dt key={axis}>Along {axis}</dt>,
                <dd key={`${axis} m`}>{length(found.along[k] ?? 0, 3, unit)}</dd>,
              ])}
              {found.angle != null && (
                <>
                  <dt>{picked.length > 2 ? "Angle at the second" : "Angle of the faces"}</dt>
                  <dd>{found.angle.toFixed(2).replace("-", "−")}°</dd>
                </>
              )}
            </Facts>
            <Row>
              <Button onPress={() => void keepMeasure()}>Keep in sight</Button>
              <Button onPress={() => void askFits()}>Fits a player?</Button>
            </Row>
            {fits && (
              <>
                <Verdict role="status" data-fits={fits.fits}>
                  {fits.text}
                </Verdict>
                <NumberField
                  label="Radius"
                  value={body.radius}
                  unit="m"
                  step={0.05}
                  onCommit={(v) => {
                    if (v) set({ radius: v });
                    void askFits();
                  }}
                />
                <NumberField
                  label="Height"
                  value={body.height}
                  unit="m"
                  step={0.05}
                  onCommit={(v) => {
                    if (v) set({ height: v, eye: v - 0.1 });
                    void askFits();
                  }}
                />
              </>
            )}
          </>
        )}
        <Button onPress={() => run(null)}>Done</Button>
      </div>
    </Card>
  );
}
