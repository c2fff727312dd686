import { ChevronDown } from "lucide-react";
import { type RefObject, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
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
import { mostUsed } from "../tools/often";
import { drawOf, pickOf, startingParams, startTool, takenBy, whyNot } from "../tools/registry";
import { ToolForm } from "../tools/ToolForm";
import { toolKey } from "../tools/toolKeys";
import { Button, Key, Tipped } from "../ui/controls";
import { iconOf } from "../ui/icons";
import { keyShown, useKeyMap } from "../ui/keyMap";
import { Plan } from "./Plan";
import { Card, Quiet } from "./parts";

const Rows = styled.div`
  && { padding: 4px 4px 6px; gap: 0; }
  & > div { display: grid; grid-template-columns: repeat(2, minmax(0, 1fr)); }
  & h3 { grid-column: 1 / -1; padding: 3px 6px 0; color: var(--quiet); font-size: 0.6875rem; line-height: 1rem; font-weight: 620; }
`;
const Verbs = styled.div`
  && { display: flex; flex-wrap: wrap; gap: 4px; padding: 6px 4px 4px; border-top: 1px solid var(--line); margin-top: 4px; }
  & button { padding: 1px 6px 1px 8px; min-height: 1.5625rem; gap: 3px; }
  & button[aria-expanded="true"] { background: var(--dark); border-color: var(--dark); color: var(--on-dark); }
`;
const ToolRow = styled(Button)`
  width: 100%; min-width: 0; justify-content: flex-start; border-color: transparent; background: none; gap: 6px; padding: 1px 6px; min-height: 1.5rem;
  & span { flex: 1; text-align: left; overflow: hidden; text-overflow: ellipsis; }
  &[data-off="true"] { color: var(--quiet); }
`;
/** Pixels of a tool's line, of a verb above some, of the rest of the card, and between cards. */
const [ROW, TITLE, HEAD, GAP] = [24, 19, 48, 8];
/** Tools that stand above the folded ones. */
const MOST = 10;
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
  // a card is left behind with the stage that it is of
  const before = useRef(stage);
  useEffect(() => {
    if (before.current !== stage && opened && !(opened.stages as string[]).includes(stage)) openCard(null);
    before.current = stage;
  }, [stage, opened]);
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
  const groups = verbs.flatMap((verb) => {
    const group = able.filter((t) => t.verb === verb);
    return group.length ? [{ verb, group }] : [];
  });
  const others = rows.length === 0 ? rest.slice(0, 6) : [];
  if (able.length === 0 && (rest.length === 0 || rows.length > 0)) return null;
  return <ToolList key={stage} scope={scope} groups={groups} others={others.map((t) => [t, whyNot(t, rows) ?? ""])} />;
}

interface ToolListProps {
  scope: string;
  groups: readonly { verb: string; group: readonly ToolInfo[] }[];
  /** What could be done with a selection, and why not without. */
  others: readonly (readonly [ToolInfo, string])[];
}

/** All tools by verb where there is room for them; else those that are used most, and the others folded by verb. */
function ToolList({ scope, groups, others }: ToolListProps) {
  const card = useRef<HTMLElement>(null);
  const [verb, setVerb] = useState<string | null>(null);
  const lists = [...groups.map((g) => g.group.length), ...(others.length ? [others.length] : [])];
  const fits = useFits(card, HEAD + lists.reduce((sum, n) => sum + TITLE + ROW * Math.ceil(n / 2), 0));
  const every = groups.flatMap((g) => g.group);
  const folded = !fits && every.length > MOST;
  const above = folded ? mostUsed(every, MOST) : [];
  const below = groups.flatMap((g) => {
    const group = g.group.filter((t) => !above.includes(t));
    return group.length ? [{ ...g, group }] : [];
  });
  const unfolded = below.find((g) => g.verb === verb);
  return (
    <Card ref={card} aria-label="Tools">
      <header>
        <h2>Tools</h2>
        <span>{scope}</span>
      </header>
      <Rows>
        {folded ? (
          <>
            <div>
              {above.map((t) => (
                <OneTool key={t.tool} tool={t} />
              ))}
            </div>
            <Verbs role="group" aria-label="More tools">
              {below.map((g) => (
                <Button
                  key={g.verb}
                  aria-expanded={g.verb === verb}
                  onPress={() => setVerb(g.verb === verb ? null : g.verb)}
                >
                  {g.verb} <ChevronDown size={12} aria-hidden />
                </Button>
              ))}
            </Verbs>
            {unfolded && (
              <div>
                {unfolded.group.map((t) => (
                  <OneTool key={t.tool} tool={t} />
                ))}
              </div>
            )}
          </>
        ) : (
          groups.map((g) => (
            <div key={g.verb}>
              {groups.length > 1 && <h3>{g.verb}</h3>}
              {g.group.map((t) => (
                <OneTool key={t.tool} tool={t} />
              ))}
            </div>
          ))
        )}
        {others.length > 0 && (
          <div>
            <h3>With a selection</h3>
            {others.map(([t, reason]) => (
              <OneTool key={t.tool} tool={t} reason={reason} />
            ))}
          </div>
        )}
      </Rows>
    </Card>
  );
}

/** Whether a card of so many pixels fits under the others of the column without scrolling. */
function useFits(card: RefObject<HTMLElement | null>, height: number): boolean {
  const [fits, setFits] = useState(true);
  useLayoutEffect(() => {
    const own = card.current;
    const column = own?.parentElement;
    if (!own || !column) return;
    const others = () => [...column.children].filter((c) => c !== own);
    const look = () => {
      const taken = others().reduce((sum, c) => sum + c.getBoundingClientRect().height + GAP, 0);
      setFits(height <= column.clientHeight - 2 * GAP - taken);
    };
    const sizes = new ResizeObserver(look);
    const follow = () => {
      for (const one of [column, ...others()]) sizes.observe(one);
      look();
    };
    // cards of the stage come and go
    const cards = new MutationObserver(follow);
    cards.observe(column, { childList: true });
    follow();
    return () => {
      sizes.disconnect();
      cards.disconnect();
    };
  });
  return fits;
}

function OneTool({ tool, reason }: { tool: ToolInfo; reason?: string }) {
  useKeyMap();
  const key = toolKey(tool);
  return (
    <Tipped text={[reason ?? tool.about, key && keyShown(key)].filter(Boolean).join(" · ")}>
      <ToolRow
        data-off={reason !== undefined}
        aria-disabled={reason !== undefined || undefined}
        onPress={() => reason === undefined && startTool(tool)}
      >
        <span>{tool.title}</span>
        {key && !key.startsWith("Shift") && <Key>{keyShown(key)}</Key>}
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
    else if (reason === null && tool.previews)
      previewStep({ tool: tool.tool, params: next, selection, adjust: false, tells: true });
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
    const { piece, words, within, params: withElements } = pick;
    startPicking({
      piece,
      words,
      within,
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
    takenBy(tool, with_);
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
