import { ChevronDown, ChevronUp } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { Problem } from "../api/client";
import { errorsOf, type Field, fieldsOf, matters } from "../api/fields";
import { useEarlier } from "../api/queries";
import type { Params, ToolInfo } from "../api/types";
import { useOpenPiece } from "../state/elements";
import { openLastStep, showLastStep, useLastStep } from "../state/lastStep";
import { useLevel } from "../state/level";
import { useRunning } from "../state/running";
import { adjustLast, previewStep } from "../state/steps";
import { startAdjust, useWork } from "../state/work";
import { remember } from "../tools/lastUsed";
import { OneField } from "../tools/OneField";
import { ToolForm } from "../tools/ToolForm";
import { Button, IconButton } from "../ui/controls";
import { Quiet } from "./parts";

const Foot = styled.section`
  flex: none; position: relative; background: var(--panel); border-top: 1px solid var(--line);
`;
const Whole = styled.div`
  position: absolute; inset: auto 0 100% 0; max-height: calc(100vh - var(--top) - var(--foot) - 48px); overflow-y: auto;
  scrollbar-width: thin; scrollbar-gutter: stable; display: grid; gap: 8px; padding: 10px 4px 10px 12px;
  background: var(--panel); border-top: 1px solid var(--line-strong); box-shadow: var(--float);
`;
const Line = styled.div`
  display: flex; align-items: center; gap: 8px; min-height: 2.875rem; padding: 3px 6px 4px 12px;
  & > h2 { font-weight: 640; flex: none; max-width: 55%; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  & > button { flex: none; padding: 3px 5px; min-height: 1.625rem; }
`;
/** Those for which there is no room wrap out of sight. */
const Leads = styled.div`
  flex: 1 1 0; display: flex; flex-wrap: wrap; justify-content: flex-end; gap: 6px; height: 2.375rem; overflow: hidden;
  & > * { width: 4.25rem; min-height: 0; }
`;
const Note = styled(Quiet)`
  flex: 1; min-width: 0; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; font-size: 0.7812rem;
  &[data-aside="true"] { position: absolute; width: 1px; height: 1px; clip-path: inset(50%); }
`;
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
  const whole = useLastStep((s) => s.open);
  const asked = useLastStep((s) => s.asked);
  const foot = useRef<HTMLElement>(null);
  const [errors, setErrors] = useState<Record<string, string>>({});
  // what is wrong is said where there is room for it
  const wrong = Object.keys(errors).length > 0;
  useEffect(() => {
    if (wrong) showLastStep();
  }, [wrong]);
  const heard = useRef(asked);
  useEffect(() => {
    if (heard.current === asked) return;
    const [first] = foot.current?.querySelectorAll("input") ?? [];
    if (first || whole) heard.current = asked;
    else showLastStep();
    first?.focus();
  }, [asked, whole]);
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
  const now = wished ?? last.params;
  const wish = (params: Params) => {
    if (tool.previews) previewStep({ tool: tool.tool, params, selection: last.selection, adjust: true, tells: true });
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
  const said = note || last.note;
  const leads = live && !whole ? leadsOf(tool, now) : [];
  return (
    <Foot
      ref={foot}
      aria-label="Last step"
      onKeyDown={(event) => {
        if (event.key !== "Escape" || !whole) return;
        event.stopPropagation();
        openLastStep(false);
      }}
    >
      {whole && (
        <Whole>
          {live ? (
            <ToolForm tool={tool} params={now} errors={errors} onPreview={wish} onCommit={(p) => void commit(p)} />
          ) : (
            <Quiet>This step has nothing to adjust; undo takes it back.</Quiet>
          )}
          <Earlier />
        </Whole>
      )}
      <Line>
        <h2 title={said || undefined}>{last.title}</h2>
        {leads.length > 0 && (
          <Leads>
            {leads.map((field) => (
              <OneField
                key={field.name}
                field={field}
                value={now[field.name]}
                error={errors[field.name]}
                focus={false}
                look="under"
                onPreview={(v) => wish({ ...now, [field.name]: v })}
                onCommit={(v) => void commit({ ...now, [field.name]: v })}
              />
            ))}
          </Leads>
        )}
        <Note aria-live="polite" data-aside={leads.length > 0} title={said || undefined}>
          {said}
        </Note>
        <IconButton
          label={whole ? "Fold the last step" : "All of the last step"}
          keys={whole ? undefined : ","}
          aria-expanded={whole}
          onPress={() => openLastStep(!whole)}
        >
          {whole ? <ChevronDown size={15} aria-hidden /> : <ChevronUp size={15} aria-hidden />}
        </IconButton>
      </Line>
    </Foot>
  );
}

/** The fields that a step shows in its line, as far as they matter now. */
function leadsOf(tool: ToolInfo, params: Params): Field[] {
  const all = fieldsOf(tool);
  return tool.leads.flatMap((name) => all.find((f) => f.name === name && matters(f, params)) ?? []).slice(0, 3);
}
