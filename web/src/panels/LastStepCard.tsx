import { useEffect, useState } from "react";
import styled from "styled-components";
import { Problem } from "../api/client";
import { errorsOf, fieldsOf } from "../api/fields";
import { useEarlier } from "../api/queries";
import type { Params, ToolInfo } from "../api/types";
import { useOpenPiece } from "../state/elements";
import { useLevel } from "../state/level";
import { useRunning } from "../state/running";
import { adjustLast, previewStep } from "../state/steps";
import { startAdjust, useWork } from "../state/work";
import { remember } from "../tools/lastUsed";
import { ToolForm } from "../tools/ToolForm";
import { Button } from "../ui/controls";
import { Card, Quiet } from "./parts";

const List = styled.ol`margin: 0; padding-left: 20px; max-height: 160px; overflow: auto; color: var(--quiet);`;

/** The steps before that have changed the piece that is open in Shape. */
function Earlier() {
  const level = useLevel((s) => s.levelId);
  const revision = useLevel((s) => s.revision);
  const last = useLevel((s) => s.history.last);
  const id = useOpenPiece();
  const piece = useLevel((s) => s.scene.pieces.get(id ?? "") ?? null);
  const [shown, setShown] = useState(false);
  // the journal is read only where somebody wants to see it
  const all = useEarlier(level, shown ? piece : null, revision);
  // the last step stands above, where it was one on this piece
  const [newest] = all;
  const steps = newest && newest.tool === last?.tool && newest.note === last.note ? all.slice(1) : all;
  if (!piece) return null;
  return (
    <>
      <Button aria-expanded={shown} onPress={() => setShown(!shown)}>
        Earlier steps on this piece
      </Button>
      {shown && steps.length === 0 && <Quiet>None in this level.</Quiet>}
      {shown && steps.length > 0 && (
        <List aria-label="Earlier steps on this piece">
          {steps.map((step, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: steps have no other name
            <li key={k}>
              {step.title}: {step.note}
            </li>
          ))}
        </List>
      )}
    </>
  );
}

/** The settings of the step just made, live: another number makes the step again with it. */
export function LastStepCard({ tools }: { tools: readonly ToolInfo[] }) {
  const last = useLevel((s) => s.history.last);
  const revision = useLevel((s) => s.revision);
  const running = useRunning((s) => s.now !== null);
  const preview = useLevel((s) => s.previewNote);
  const note = running ? "" : preview;
  const open = useRunning((s) => s.card);
  const [errors, setErrors] = useState<Record<string, string>>({});
  // what takes long shows what is wished until it has ended
  const [wished, setWished] = useState<Params | null>(null);
  const working = [...useWork().values()].some((job) => job.tool === last?.tool);
  useEffect(() => {
    if (!working) setWished(null);
  }, [working]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new step has no errors
  useEffect(() => setErrors({}), [revision]);
  const tool = tools.find((t) => t.tool === last?.tool);
  if (!last || !tool || open) return null;
  const live = last.adjustable && fieldsOf(tool).some((f) => f.kind !== "none");
  const wish = (params: Params) => {
    if (tool.previews) previewStep({ tool: tool.tool, params, selection: last.selection, adjust: true });
  };
  const commit = async (params: Params) => {
    previewStep(null);
    if (tool.long) setWished(params);
    const result = await (tool.long ? startAdjust : adjustLast)(tool.tool, params);
    if (result instanceof Problem) {
      setErrors(errorsOf(result));
      setWished(null);
    } else remember(tool.tool, params);
  };
  return (
    <Card aria-label="Last step">
      <header>
        <h2>Last step · {last.title}</h2>
        <span>{live ? "live" : ""}</span>
      </header>
      <div>
        {live ? (
          <ToolForm
            tool={tool}
            params={wished ?? last.params}
            errors={errors}
            onPreview={wish}
            onCommit={(p) => void commit(p)}
          />
        ) : (
          <Quiet>This step has nothing to adjust; undo takes it back.</Quiet>
        )}
        <Earlier />
        {(note || last.note) && <Quiet aria-live="polite">{note || last.note}</Quiet>}
      </div>
    </Card>
  );
}
