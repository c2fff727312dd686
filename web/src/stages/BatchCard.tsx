import { useEffect, useState } from "react";
import { ProgressBar } from "react-aria-components";
import styled from "styled-components";
import { useRecipes } from "../api/queries";
import type { Batch } from "../api/types";
import { Card, Quiet } from "../panels/parts";
import { followBatches, startBatch, stopBatch, useBatch } from "../state/batches";
import { useSelection } from "../state/selection";
import { Button, Picker } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { TextField } from "../ui/TextField";
import { grouped } from "../ui/words";

const Bar = styled(ProgressBar)`
  display: block; height: 6px; border-radius: 3px; background: var(--line); overflow: hidden;
  & i { display: block; height: 100%; background: var(--petrol); }
`;
const USUAL = "{folder}/{name}_{rung}{ext}";

/** Slim every model of a folder on this machine into another one. */
export function BatchCard() {
  const nothing = useSelection((s) => s.ids.length === 0);
  const recipes = useRecipes();
  const now = useBatch();
  const [name, setName] = useState("");
  const [source, setSource] = useState("");
  const [target, setTarget] = useState("");
  const [pattern, setPattern] = useState(USUAL);
  useEffect(() => void followBatches(), []);
  const chosen = recipes.find((r) => r.name === name) ?? recipes[0];
  if (!nothing || !chosen) return null;
  const start = () => {
    const { shipped: _, ...recipe } = chosen;
    void startBatch({ source, target, recipe, pattern });
  };
  return (
    <Card aria-label="Slim a folder">
      <header>
        <h2>Slim a folder</h2>
        <span>{now?.state === "working" ? "at work" : ""}</span>
      </header>
      <div>
        {now?.state === "working" ? (
          <AtWork batch={now} />
        ) : (
          <>
            {now && <Quiet aria-live="polite">{cameTo(now)}</Quiet>}
            <Labelled title="A folder on this machine, with whole path; those below it are read as well">
              <span>Read from</span>
              <TextField label="Read from" value={source} onCommit={setSource} />
            </Labelled>
            <Labelled title="A folder on this machine, with whole path; it is made where it is not there">
              <span>Write to</span>
              <TextField label="Write to" value={target} onCommit={setTarget} />
            </Labelled>
            <Labelled title="What is made of each file">
              <span>Recipe</span>
              <Picker
                label="Recipe for the folder"
                value={chosen.name}
                options={recipes.map((r) => ({ value: r.name, label: r.name }))}
                onChange={setName}
              />
            </Labelled>
            <Labelled title="{name}, {rung}, {tris}, {folder} and {ext} stand for what they say">
              <span>Names</span>
              <TextField label="Names" value={pattern} onCommit={setPattern} />
            </Labelled>
            <Button data-main="true" isDisabled={!source || !target} onPress={start}>
              Slim the folder
            </Button>
          </>
        )}
      </div>
    </Card>
  );
}

function AtWork({ batch }: { batch: Batch }) {
  const ended = batch.done + batch.failed;
  const share = batch.total > 0 ? (100 * ended) / batch.total : 0;
  return (
    <>
      <Bar aria-label="Files slimmed" value={share}>
        <i style={{ width: `${share}%` }} />
      </Bar>
      <Quiet>
        {grouped(ended)} of {grouped(batch.total)} files
        {batch.rate > 0 && `, ${batch.rate.toPrecision(2)} a second`}
        {batch.left !== null && `, ${Math.ceil(batch.left)} s left`}
        {batch.failed > 0 && `, ${batch.failed} failed`}
      </Quiet>
      <Button onPress={() => void stopBatch(batch.id)}>Cancel</Button>
    </>
  );
}

/** What came of a batch. */
function cameTo(batch: Batch): string {
  if (batch.state === "failed") return batch.reason;
  const failed = batch.failed > 0 ? `, ${batch.failed} failed: see report.csv there` : "";
  const before = batch.again > 0 ? ` (${grouped(batch.again)} before)` : "";
  const stopped = batch.state === "stopped" ? "Cancelled; start it again to go on. " : "";
  return `${stopped}${grouped(batch.done)} of ${grouped(batch.total)} files done${before}${failed}.`;
}
