import { useEffect, useRef, useState } from "react";
import { ProgressBar } from "react-aria-components";
import styled from "styled-components";
import { useRecipes } from "../api/queries";
import type { Batch } from "../api/types";
import { Card, Quiet } from "../panels/parts";
import { chooseFiles, followBatches, startBatch, startFiles, stopBatch, stopSending, useBatch } from "../state/batches";
import { useSelection } from "../state/selection";
import { Button, Picker } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { TextField } from "../ui/TextField";
import { counted, grouped } from "../ui/words";

const Bar = styled(ProgressBar)`
  display: block; height: 6px; border-radius: 3px; background: var(--line); overflow: hidden;
  & i { display: block; height: 100%; background: var(--petrol); }
`;
const Chosen = styled.div`
  display: flex; align-items: center; justify-content: space-between; gap: 8px; color: var(--quiet);
`;
/** How the rungs of a file are written, and how what is written is usually called. */
const WAYS = [
  { value: "", label: "A file for each rung", usual: "{folder}/{name}_{rung}{ext}" },
  { value: "lod", label: "One GLB, as MSFT_lod", usual: "{folder}/{name}{ext}" },
  { value: "names", label: "One GLB, by names", usual: "{folder}/{name}{ext}" },
];
const usualOf = (way: string): string => WAYS.find((w) => w.value === way)?.usual ?? "";

/** Slim every model of a folder on this machine, or files that are dropped, into another folder. */
export function BatchCard() {
  const nothing = useSelection((s) => s.ids.length === 0);
  const recipes = useRecipes();
  const now = useBatch((s) => s.now);
  const files = useBatch((s) => s.files);
  const sent = useBatch((s) => s.sent);
  const picker = useRef<HTMLInputElement>(null);
  const [name, setName] = useState("");
  const [source, setSource] = useState("");
  const [target, setTarget] = useState("");
  const [way, setWay] = useState("");
  const [pattern, setPattern] = useState(usualOf(""));
  useEffect(() => void followBatches(), []);
  const chosen = recipes.find((r) => r.name === name) ?? recipes[0];
  if (!nothing || !chosen) return null;
  const start = () => {
    const { shipped: _, ...recipe } = chosen;
    const how = { target, recipe, pattern, rungs: (way || null) as "lod" | "names" | null, replace: false };
    if (files.length > 0) void startFiles(how);
    else void startBatch({ source, ...how });
  };
  const choose = (next: string) => {
    // a pattern of one's own stays
    if (pattern === usualOf(way)) setPattern(usualOf(next));
    setWay(next);
  };
  return (
    <Card aria-label="Slim a folder" data-drop="slim">
      <header>
        <h2>Slim a folder</h2>
        <span>{now?.state === "working" ? "at work" : ""}</span>
      </header>
      <div>
        {now?.state === "working" ? (
          <AtWork batch={now} />
        ) : sent !== null ? (
          <Sending share={sent} />
        ) : (
          <>
            {now && <Quiet aria-live="polite">{cameTo(now)}</Quiet>}
            {files.length > 0 ? (
              <Chosen>
                <span>{counted(files.length, "file", "files")} chosen</span>
                <Button onPress={() => chooseFiles([])}>Read a folder instead</Button>
              </Chosen>
            ) : (
              <>
                <Labelled title="A folder on this machine, with whole path; those below it are read as well">
                  <span>Read from</span>
                  <TextField label="Read from" value={source} onCommit={setSource} />
                </Labelled>
                <Chosen>
                  <span>or drop files here</span>
                  <Button onPress={() => picker.current?.click()}>Choose files</Button>
                </Chosen>
              </>
            )}
            <input
              ref={picker}
              type="file"
              multiple
              hidden
              aria-label="Files to slim"
              onChange={(e) => {
                chooseFiles([...(e.target.files ?? [])]);
                e.target.value = "";
              }}
            />
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
            <Labelled title="Rungs as files of their own, or all in one GLB for an engine">
              <span>Files</span>
              <Picker label="Files" value={way} options={WAYS} onChange={choose} />
            </Labelled>
            <Labelled title="{name}, {rung}, {tris}, {folder} and {ext} stand for what they say">
              <span>Names</span>
              <TextField label="Names" value={pattern} onCommit={setPattern} />
            </Labelled>
            <Button data-main="true" isDisabled={(!source && files.length === 0) || !target} onPress={start}>
              {files.length > 0 ? "Slim the files" : "Slim the folder"}
            </Button>
          </>
        )}
      </div>
    </Card>
  );
}

function Sending({ share }: { share: number }) {
  return (
    <>
      <Bar aria-label="Files sent" value={100 * share}>
        <i style={{ width: `${100 * share}%` }} />
      </Bar>
      <Quiet>Sending the files</Quiet>
      <Button onPress={stopSending}>Cancel</Button>
    </>
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
