import { useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { Problem } from "../api/client";
import { errorsOf } from "../api/fields";
import { useRules } from "../api/queries";
import type { Params, Row, ToolInfo } from "../api/types";
import { picks, startPicking } from "../hand/modes/pick";
import { elementsNow, KIND_WORDS, openPiece, pickedNow, useElements } from "../state/elements";
import { useLevel } from "../state/level";
import { openCard, useRunning } from "../state/running";
import { useSelection } from "../state/selection";
import { previewStep, takeStep } from "../state/steps";
import { useView } from "../state/view";
import { startWork } from "../state/work";
import { remember } from "../tools/lastUsed";
import { drawOf, pickOf, startingParams, startTool, whyNot } from "../tools/registry";
import { ToolForm } from "../tools/ToolForm";
import { Button, Key, Tipped } from "../ui/controls";
import { iconOf } from "../ui/icons";
import { Plan } from "./Plan";
import { Card, Quiet } from "./parts";

const Rows = styled.div`
  && { padding: 6px 6px 8px; gap: 0; }
  & > div { display: grid; grid-template-columns: repeat(2, minmax(0, 1fr)); }
  & h3 { grid-column: 1 / -1; padding: 4px 6px 0; color: var(--quiet); font-size: 11px; line-height: 16px; font-weight: 620; }
`;
const ToolRow = styled(Button)`
  width: 100%; min-width: 0; justify-content: flex-start; border-color: transparent; background: none; gap: 6px; padding: 2px 6px; min-height: 25px;
  & span { flex: 1; text-align: left; overflow: hidden; text-overflow: ellipsis; }
  &[data-off="true"] { color: var(--quiet); }
`;
const Foot = styled.div`display: flex; gap: 8px; justify-content: flex-end; padding-top: 4px;`;

function useSelectedRows(): Row[] {
  const ids = useSelection((s) => s.ids);
  const scene = useLevel((s) => s.scene);
  return useMemo(
    () =>
      ids.flatMap((id): Row[] => {
        const row = scene.pieces.get(id) ?? scene.things.get(id);
        return row ? [row] : [];
      }),
    [ids, scene],
  );
}

/** The tools that can work on the selection, by verb; or the card of the one that was opened. */
export function ToolsCard({ tools }: { tools: readonly ToolInfo[] }) {
  const rows = useSelectedRows();
  const stage = useView((v) => v.stage);
  const open = useRunning((s) => s.card);
  const kindWords = useRules()?.kinds;
  // which tools there are depends on what is picked
  const mode = useElements((s) => s.mode);
  const opened = tools.find((t) => t.tool === open);
  if (opened) return <OpenTool key={opened.tool + rows.map((r) => r.id).join()} tool={opened} rows={rows} />;
  const here = tools.filter((t) => !t.hidden && (t.stages as string[]).includes(stage));
  const able = here.filter((t) => whyNot(t, rows) === null && (rows.length === 0 || (t.need.least ?? 0) > 0));
  const rest = here.filter((t) => whyNot(t, rows) !== null && !able.some((a) => a.title === t.title));
  const kinds = new Set(rows.map((r) => r.kind ?? ""));
  const words = kindWords?.find((k) => kinds.size === 1 && kinds.has(k.kind))?.words;
  const shaped = stage === "shape" && openPiece() !== null;
  const scope = rows.length === 0 ? "" : `for ${shaped ? KIND_WORDS[mode][1] : (words ?? "the selection")}`;
  const all = [...new Set(tools.map((t) => t.verb))];
  // what is laid comes first for paths and what runs along them
  const laid = kinds.size > 0 && [...kinds].every((k) => k === "path" || k === "course");
  const verbs = laid ? [...all].sort((a, b) => Number(b === "Lay") - Number(a === "Lay")) : all;
  if (able.length === 0 && (rest.length === 0 || rows.length > 0)) return null;
  return (
    <Card aria-label="Tools">
      <header>
        <h2>Tools</h2>
        <span>{scope}</span>
      </header>
      <Rows>
        {verbs.map((verb) => {
          const group = able.filter((t) => t.verb === verb);
          return group.length === 0 ? null : (
            <div key={verb}>
              <h3>{verb}</h3>
              {group.map((t) => (
                <OneTool key={t.tool} tool={t} />
              ))}
            </div>
          );
        })}
        {rest.length > 0 && rows.length === 0 && (
          <div>
            <h3>With a selection</h3>
            {rest.slice(0, 6).map((t) => (
              <OneTool key={t.tool} tool={t} reason={whyNot(t, rows) ?? undefined} />
            ))}
          </div>
        )}
      </Rows>
    </Card>
  );
}

function OneTool({ tool, reason }: { tool: ToolInfo; reason?: string }) {
  return (
    <Tipped text={[reason ?? tool.about, tool.key].filter(Boolean).join(" · ")}>
      <ToolRow
        data-off={reason !== undefined}
        aria-disabled={reason !== undefined || undefined}
        onPress={() => reason === undefined && startTool(tool)}
      >
        <span>{tool.title}</span>
        {tool.key && !tool.key.startsWith("Shift") && <Key>{tool.key.replace("+", " ")}</Key>}
      </ToolRow>
    </Tipped>
  );
}

function OpenTool({ tool, rows }: { tool: ToolInfo; rows: readonly Row[] }) {
  const [params, setParams] = useState<Params>(() => startingParams(tool));
  const [errors, setErrors] = useState<Record<string, string>>({});
  const latest = useRef(params);
  latest.current = params;
  const note = useLevel((s) => s.previewNote);
  const reason = whyNot(tool, rows);
  const selection = useMemo(() => (tool.need.kinds?.length ? rows.map((r) => r.id) : []), [rows, tool]);
  const shaping = "elements" in params;
  const withElements = (next: Params): Params => (shaping ? { ...next, elements: elementsNow() } : next);
  const preview = (given: Params) => {
    const next = withElements(given);
    if (shaping && (tool.takes ?? []).length > 0 && pickedNow().ids.size === 0) return previewStep(null);
    const unpicked = (next.place === "picked" || next.about_what === "picked") && next.picked === null;
    if (unpicked) previewStep(null);
    else if (reason === null && tool.previews) previewStep({ tool: tool.tool, params: next, selection, adjust: false });
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: shown once as the card opens, then on every change
  useEffect(() => {
    preview(params);
    return () => previewStep(null);
  }, []);
  // what is picked while the card is open is what it works on
  const picked = useElements((s) => (shaping ? s.ids : null));
  // biome-ignore lint/correctness/useExhaustiveDependencies: on every change of the picks alone
  useEffect(() => {
    if (shaping) preview(latest.current);
  }, [picked]);
  // the whole card comes into sight, as far as there is room
  const card = useRef<HTMLElement>(null);
  useEffect(() => void card.current?.scrollIntoView({ block: "nearest" }), []);
  // what can be clicked in the view is picked at once
  // biome-ignore lint/correctness/useExhaustiveDependencies: begins as the card opens, and ends with it
  useEffect(() => {
    const pick = reason === null ? pickOf(tool, rows) : null;
    if (!pick) return;
    const { piece, words, params: withElements } = pick;
    startPicking({
      piece,
      words,
      card: true,
      done: (feature) => {
        previewStep(null);
        openCard(null);
        void takeStep(tool.tool, { ...latest.current, ...withElements(feature) }, selection);
      },
    });
    return () => picks.end();
  }, []);
  const apply = async (with_: Params = params) => {
    previewStep(null);
    const result = tool.long
      ? await startWork(tool.tool, with_, selection)
      : await takeStep(tool.tool, withElements(with_), selection, true);
    if (result instanceof Problem) {
      setErrors(errorsOf(result));
      return;
    }
    remember(tool.tool, with_);
    openCard(null);
  };
  const change = (next: Params) => {
    setParams(next);
    setErrors({});
    preview(next);
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: begins as the card opens, and ends with it
  useEffect(
    () =>
      drawOf(tool)?.({
        params: () => latest.current,
        show: change,
        take: (next) => {
          change(next);
          void apply(next);
        },
      }),
    [],
  );
  const Icon = iconOf(tool);
  return (
    <Card
      ref={card}
      aria-label={tool.title}
      onKeyDown={(event) => {
        if (event.key === "Escape") openCard(null);
        if (event.key === "Enter" && event.target instanceof HTMLInputElement) {
          // the field takes its value over first, then the step is taken with it
          window.setTimeout(() => document.getElementById("apply-tool")?.click(), 0);
        }
      }}
    >
      <header>
        <Icon size={16} aria-hidden />
        <h2>{tool.title}</h2>
      </header>
      <div>
        <Quiet>{reason ?? tool.about}</Quiet>
        <ToolForm tool={tool} params={params} errors={errors} focus onPreview={preview} onCommit={change} />
        {note && <Quiet aria-live="polite">{note}</Quiet>}
        {"only_plan" in params && <Plan tool={tool.tool} params={params} />}
        <Foot>
          <Button onPress={() => openCard(null)}>Cancel</Button>
          <Button id="apply-tool" data-main="true" isDisabled={reason !== null} onPress={() => void apply()}>
            {tool.title}
          </Button>
        </Foot>
      </div>
    </Card>
  );
}
