import { useState } from "react";
import styled from "styled-components";
import { errorsOf } from "../api/fields";
import { useRules, useShapes } from "../api/queries";
import { changeDrawing, draws, makeTyped, startDrawing } from "../hand/modes/draw";
import { useKit } from "../state/kit";
import { run, useRunning } from "../state/running";
import { previewStep } from "../state/steps";
import { ShapeFields } from "../tools/ShapeFields";
import { Button, KeyFor, Picker, Tipped } from "../ui/controls";
import { iconOf } from "../ui/icons";
import { Labelled } from "../ui/Labelled";
import { Card, Quiet } from "./parts";

const Board = styled.div`
  && { display: grid; grid-template-columns: repeat(4, minmax(0, 1fr)); gap: 4px; padding: 8px; }
`;
const ShapeButton = styled(Button)`
  flex-direction: column; gap: 2px; padding: 6px 2px 4px; min-height: 3rem; font-size: 0.6875rem; line-height: 0.8125rem;
  border-color: transparent; background: none; white-space: normal; text-align: center;
  &[data-last="true"] { border-color: var(--line); }
`;
const Foot = styled.div`display: flex; gap: 8px; justify-content: flex-end; padding-top: 4px;`;
/** All shapes, to be drawn in the view. */
export function ShapeBoard() {
  const shapes = useShapes();
  const last = useKit((s) => s.last);
  const card = useRunning((s) => s.card !== null);
  const busy = draws.use() !== null || card;
  if (busy || shapes.length === 0) return null;
  return (
    <Card aria-label="Draw a piece">
      <header>
        <h2>Draw a piece</h2>
        <span>
          last again <KeyFor ours="N" />
        </span>
      </header>
      <Board>
        {shapes.map((info) => {
          const Icon = iconOf(info);
          return (
            <Tipped key={info.kind} text={info.about}>
              <ShapeButton data-last={info.kind === last} onPress={() => startDrawing(info.kind)}>
                <Icon size={18} aria-hidden />
                {info.title}
              </ShapeButton>
            </Tipped>
          );
        })}
      </Board>
    </Card>
  );
}

/** The shape that is being drawn: what the drags set can be typed here as well. */
export function DrawCard() {
  const now = draws.use();
  const rules = useRules();
  const [errors, setErrors] = useState<Record<string, string>>({});
  if (!now) return null;
  const { info, shape, surface, stage } = now;
  const done = new Set(info.drags.slice(0, stage).flatMap((d) => d.sets ?? []));
  const ahead = info.drags.slice(stage).flatMap((d) => d.sets ?? []);
  const leave = () => {
    previewStep(null);
    run(null);
  };
  const make = async () => {
    const problem = await makeTyped();
    setErrors(problem ? errorsOf(problem) : {});
  };
  return (
    <Card
      aria-label={`Draw ${info.title.toLowerCase()}`}
      onKeyDown={(event) => {
        if (event.key === "Escape") leave();
        if (event.key === "Enter" && stage === 0 && event.target instanceof HTMLInputElement) {
          // the field takes its value over first, then the piece is made with it
          window.setTimeout(() => void make(), 0);
        }
      }}
    >
      <header>
        <h2>Draw {info.title.toLowerCase()}</h2>
        <span>{info.drags.length > 1 ? `${stage + 1} of ${info.drags.length}` : ""}</span>
      </header>
      <div>
        <Quiet>
          {info.drags[stage]?.prompt}
          {stage === 0 && " on the ground or on a face"}
          {info.drags[stage]?.gesture === "rectangle" && "; Shift grows it from the centre"}.
        </Quiet>
        <div>
          <ShapeFields
            shape={{ ...shape, ...(now.found?.values ?? {}) }}
            errors={errors}
            without={stage > 0 ? ahead.filter((name) => !done.has(name)) : []}
            onPreview={(next) => changeDrawing({ shape: next as typeof shape })}
            onCommit={(next) => changeDrawing({ shape: next as typeof shape })}
          />
          <Labelled>
            <span>Surface</span>
            <Picker
              label="Surface"
              value={surface}
              options={rules?.surfaces ?? []}
              onChange={(s) => changeDrawing({ surface: s })}
            />
          </Labelled>
        </div>
        <Foot>
          <Button onPress={leave}>Cancel</Button>
          {stage === 0 && (
            <Button data-main="true" onPress={() => void make()}>
              Make it with these sizes
            </Button>
          )}
        </Foot>
      </div>
    </Card>
  );
}
