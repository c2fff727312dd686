import { useEffect, useMemo, useRef, useState } from "react";
import styled from "styled-components";
import { Problem } from "../api/client";
import { previewStep, takeStep } from "../api/steps";
import type { Params, Row, ToolInfo } from "../api/types";
import { useLevel } from "../state/level";
import { openCard, run, runningStore, useRunning } from "../state/running";
import { useSelection } from "../state/selection";
import { useView } from "../state/view";
import { iconOf, remember, startingParams, startTool, whyNot } from "../tools/registry";
import { errorsOf } from "../tools/schema";
import { ToolForm } from "../tools/ToolForm";
import { Button, Key, Tipped } from "../ui/controls";
import { Card, Quiet } from "./parts";

const Rows = styled.div`
  && { padding: 4px; gap: 0; }
  & > div + div { border-top: 1px solid var(--line); margin-top: 4px; padding-top: 4px; }
  & h3 { padding: 4px 8px 2px; color: var(--quiet); font-size: 11px; font-weight: 620; }
`;
const ToolRow = styled(Button)`
  width: 100%; justify-content: flex-start; border-color: transparent; background: none; gap: 9px; padding: 3px 8px; min-height: 27px;
  & span { flex: 1; text-align: left; }
  &[data-off="true"] { color: var(--quiet); opacity: 0.62; }
`;
const Foot = styled.div`display: flex; gap: 8px; justify-content: flex-end; padding-top: 4px;`;

const KIND_OF: Record<string, string> = {
  piece: "for a piece",
  placement: "for a placement",
  array: "for an array",
  path: "for a path",
  course: "for a course",
};
const VERBS = ["Make", "Place", "Copy", "Lay", "Slim", "Keep"];

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
  const opened = tools.find((t) => t.tool === open);
  if (opened) return <OpenTool key={opened.tool + rows.map((r) => r.id).join()} tool={opened} rows={rows} />;
  const here = tools.filter((t) => !t.hidden && (t.stages as string[]).includes(stage));
  const able = here.filter((t) => whyNot(t, rows) === null && (rows.length === 0 || (t.need.least ?? 0) > 0));
  const rest = here.filter((t) => whyNot(t, rows) !== null && !able.some((a) => a.title === t.title));
  const kinds = new Set(rows.map((r) => r.kind ?? ""));
  const aside = rows.length === 0 ? "" : kinds.size === 1 ? KIND_OF[[...kinds][0] ?? ""] : "for the selection";
  if (able.length === 0 && (rest.length === 0 || rows.length > 0)) return null;
  return (
    <Card aria-label="Tools">
      <header>
        <h2>Tools</h2>
        <span>{aside}</span>
      </header>
      <Rows>
        {VERBS.map((verb) => {
          const group = able.filter((t) => t.verb === verb);
          return group.length === 0 ? null : (
            <div key={verb}>
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
  const Icon = iconOf(tool);
  return (
    <Tipped text={reason ?? tool.about}>
      <ToolRow
        data-off={reason !== undefined}
        aria-disabled={reason !== undefined || undefined}
        onPress={() => reason === undefined && startTool(tool)}
      >
        <Icon size={16} aria-hidden />
        <span>{tool.title}</span>
        {tool.key && <Key>{tool.key.replace("+", " ")}</Key>}
      </ToolRow>
    </Tipped>
  );
}

/** Whose features may be clicked for a pivot: those of one piece, or null for anything; undefined where none is set. */
function pivotOf(tool: ToolInfo, rows: readonly Row[]): string | null | undefined {
  if (tool.tool === "group_pivot") return null;
  const [row, second] = rows;
  if (tool.tool !== "set_pivot" || !row || second) return undefined;
  return row.kind === "piece" ? row.id : "piece" in row ? row.piece : undefined;
}

function OpenTool({ tool, rows }: { tool: ToolInfo; rows: readonly Row[] }) {
  const [params, setParams] = useState<Params>(() => startingParams(tool));
  const [errors, setErrors] = useState<Record<string, string>>({});
  const note = useLevel((s) => s.previewNote);
  const reason = whyNot(tool, rows);
  const selection = useMemo(() => (tool.need.kinds?.length ? rows.map((r) => r.id) : []), [rows, tool]);
  const preview = (next: Params) => {
    const unpicked = (next.place === "picked" || next.about_what === "picked") && next.picked === null;
    if (unpicked) previewStep(null);
    else if (reason === null && tool.previews) previewStep({ tool: tool.tool, params: next, selection, adjust: false });
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: shown once as the card opens, then on every change
  useEffect(() => {
    preview(params);
    return () => previewStep(null);
  }, []);
  const latest = useRef(params);
  latest.current = params;
  // a pivot can be clicked in the view at once
  // biome-ignore lint/correctness/useExhaustiveDependencies: begins as the card opens, and ends with it
  useEffect(() => {
    const piece = pivotOf(tool, rows);
    if (piece === undefined || reason !== null) return;
    run({
      kind: "pick",
      piece,
      feature: null,
      words: "Click the vertex, edge or face for the pivot, or choose in the card",
      card: true,
      done: (feature) => {
        const picked =
          tool.tool === "set_pivot"
            ? { mesh: feature.mesh, kind: feature.kind, index: feature.index }
            : {
                thing: feature.thing,
                item: feature.item,
                kind: feature.kind,
                index: feature.index,
                face: feature.face,
              };
        previewStep(null);
        openCard(null);
        void takeStep(tool.tool, { ...latest.current, place: "picked", picked }, selection);
      },
    });
    return () => {
      if (runningStore.getState().now?.kind === "pick") run(null);
    };
  }, []);
  const apply = async () => {
    previewStep(null);
    const result = await takeStep(tool.tool, params, selection, true);
    if (result instanceof Problem) {
      setErrors(errorsOf(result));
      return;
    }
    remember(tool.tool, params);
    openCard(null);
  };
  const change = (next: Params) => {
    setParams(next);
    setErrors({});
    preview(next);
  };
  const Icon = iconOf(tool);
  return (
    <Card
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
