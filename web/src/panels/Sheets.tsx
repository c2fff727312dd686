import { type ReactNode, useMemo, useState } from "react";
import { Dialog, Heading, Input, ListBox, ListBoxItem, Modal, ModalOverlay, SearchField } from "react-aria-components";
import styled from "styled-components";
import { useShapes } from "../api/queries";
import type { ToolInfo } from "../api/types";
import { startDrawing } from "../hand/modes/draw";
import { setView } from "../state/view";
import { selectedRows, startTool, whyNot } from "../tools/registry";
import { Button, Key } from "../ui/controls";
import { iconOf } from "../ui/icons";

const Veil = styled(ModalOverlay)`
  position: fixed; inset: 0; background: rgb(34 48 58 / 0.25); display: grid; justify-items: center; align-items: start;
  padding-top: 12vh; z-index: 20;
`;
const Sheet = styled(Modal)`
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; box-shadow: var(--float); width: 480px; max-width: 92vw;
  & [role="dialog"] { outline: none; max-height: 70vh; display: flex; flex-direction: column; }
  & h2 { padding: 12px 16px 4px; font-weight: 640; font-size: 15px; }
  & input { all: unset; box-sizing: border-box; width: 100%; padding: 12px 16px; font-size: 15px; border-bottom: 1px solid var(--line); }
  & [role="listbox"] { overflow: auto; padding: 6px; outline: none; }
  & [role="option"] { display: grid; grid-template-columns: 20px 1fr auto; gap: 2px 10px; padding: 6px 10px; border-radius: 3px; cursor: pointer; outline: none; align-items: center; }
  & [role="option"] small { grid-column: 2; color: var(--quiet); font-size: 12px; }
  & [data-focused] { background: var(--petrol-wash); }
  & [data-off="true"] { opacity: 0.62; }
`;
const Top = styled.div`display: flex; align-items: center; justify-content: space-between; padding-right: 16px;`;
const Table = styled.dl`
  margin: 0; padding: 4px 16px 16px; display: grid; grid-template-columns: max-content 1fr; gap: 5px 16px; overflow: auto;
  & dt { text-align: right; } & dd { margin: 0; }
`;

interface SheetProps {
  open: boolean;
  onClose: () => void;
}

function Over({ open, onClose, label, children }: SheetProps & { label: string; children: ReactNode }) {
  return (
    <Veil isOpen={open} onOpenChange={(o) => !o && onClose()} isDismissable>
      <Sheet>
        <Dialog aria-label={label}>{children}</Dialog>
      </Sheet>
    </Veil>
  );
}

/** All tools by typing; those that cannot work now tell why. */
export function FindTool({ open, onClose, tools }: SheetProps & { tools: readonly ToolInfo[] }) {
  return (
    <Over open={open} onClose={onClose} label="Find a tool">
      <Finder tools={tools} onClose={onClose} />
    </Over>
  );
}

interface Hit {
  id: string;
  entry: { title: string; about: string; icon: string; key: string | null };
  reason: string | null;
  start: () => void;
}

function startOf(tool: ToolInfo): void {
  const [stage] = tool.stages;
  if (stage) setView({ stage: (tool.stages as string[]).includes("build") ? "build" : (stage as "kit") });
  startTool(tool);
}

function Finder({ tools, onClose }: { tools: readonly ToolInfo[]; onClose: () => void }) {
  const [text, setText] = useState("");
  const shapes = useShapes();
  const found = useMemo(() => {
    const words = text.toLowerCase().split(/\s+/).filter(Boolean);
    const rows = selectedRows();
    const fits = (all: string) => words.every((w) => all.toLowerCase().includes(w));
    const drawn = shapes
      .filter((s) => fits(`draw ${s.title} ${s.about}`))
      .map(
        (s): Hit => ({
          id: `draw-${s.kind}`,
          entry: { ...s, title: `Draw ${s.title.toLowerCase()}`, key: null },
          reason: null,
          start: () => startDrawing(s.kind),
        }),
      );
    const able = tools
      .filter((t) => !t.hidden && fits(`${t.title} ${t.about} ${t.verb}`))
      .map((tool): Hit => ({ id: tool.tool, entry: tool, reason: whyNot(tool, rows), start: () => startOf(tool) }));
    return [...able, ...drawn].sort((a, b) => Number(a.reason !== null) - Number(b.reason !== null));
  }, [tools, shapes, text]);
  const start = (hit: Hit) => {
    onClose();
    hit.start();
  };
  return (
    <>
      <SearchField
        aria-label="Find a tool"
        autoFocus
        value={text}
        onChange={setText}
        onSubmit={() => found[0] && found[0].reason === null && start(found[0])}
      >
        <Input placeholder="What do you want to do?" />
      </SearchField>
      <ListBox
        aria-label="Tools"
        items={found}
        onAction={(key) => {
          const hit = found.find((f) => f.id === key);
          if (hit && hit.reason === null) start(hit);
        }}
        renderEmptyState={() => <p style={{ padding: 12 }}>No tool is called that.</p>}
      >
        {({ id, entry, reason }) => {
          const Icon = iconOf(entry);
          return (
            <ListBoxItem id={id} textValue={entry.title} data-off={reason !== null}>
              <Icon size={16} aria-hidden />
              <span>{entry.title}</span>
              {entry.key ? <Key>{entry.key.replace("+", " ")}</Key> : <span />}
              <small>{reason ?? entry.about}</small>
            </ListBoxItem>
          );
        }}
      </ListBox>
    </>
  );
}

const KEYS: [string, string][] = [
  ["Alt 1 … 5", "Kit, Build, Shape, Slim, Ship"],
  ["Ctrl K", "find a tool"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
  ["Ctrl D, Ctrl Shift D", "duplicate linked, with pieces of their own"],
  ["O, Shift O", "one more, stepped copies"],
  ["Shift M", "mirror"],
  [",", "the first setting of the last step"],
  [".", "the last step with the next seed"],
  ["hold Ctrl Shift while dragging a handle", "leave a copy behind"],
  ["click a point of the selected path", "choose it; Shift adds; a double click on the line puts one in"],
  ["U while drawing a path", "its points lie over what stands there, or level again"],
  ["hold Alt while dragging a point of a path", "over what stands there"],
  ["V, E, F, R in Shape", "pick vertices, edges, faces, facets"],
  ["+, Backspace in Shape", "grow, shrink what is picked; a double click goes along: a loop, a plane"],
  ["Q while dragging a box in Shape", "a free outline, or a box again"],
  ["Enter, Esc while cutting", "cut; one place back"],
  ["K", "dock: grip, then landing"],
  ["M", "measure"],
  ["P", "set pivot; while picking, take pivots"],
  ["N", "draw the last shape again"],
  ["G, Shift G", "group the selection, dissolve a group"],
  ["Enter or double-click on a group or a placement, Esc", "work within it, shape its piece; leave it"],
  ["Z", "sizing tabs, on and off"],
  ["a number, with the pointer on a handle", "the measure; to 5: the place itself"],
  ["F2 in the level list", "rename"],
  ["Shift while drawing", "grow from the centre"],
  ["H, Shift H", "hide the selection, show all"],
  ["I", "isolate the selection, on and off"],
  ["J", "glass, on and off"],
  ["hold V in Slim", "the piece as it is, instead of a rung"],
  ["Del", "delete"],
  ["Ctrl A, Ctrl I", "select all, invert"],
  ["L, Shift L", "look at the selection, at all"],
  ["Shift 1 … 5", "Free, Plan, Front, Side, Eye"],
  ["− , =", "halve, double the step"],
  ["hold Ctrl while dragging", "snapping off"],
  ["Shift, Ctrl, Alt click", "add, add or remove, remove from the selection"],
  ["right-drag", "turn the view"],
  ["middle-drag, Shift right-drag", "shift the view"],
  ["wheel, Page up, Page down", "go nearer, further"],
  ["arrow keys in the view", "turn; with Shift, shift"],
  ["Enter, Esc", "accept, step back"],
];

/** Those of tools that stand in the list above, in other words. */
const SAID = new Set(["Ctrl+D", "O", "Shift+O", "Shift+M", "K", "M", "P", "G", "Shift+G", "Z", "Del"]);

/** Every key that does something, those of tools in the stage in which they are theirs. */
export function keysOf(tools: readonly ToolInfo[]): [string, string][] {
  const theirs = tools.filter((t) => t.key && !t.hidden && !SAID.has(t.key));
  const stageOf = (t: ToolInfo) => `${t.stages[0]?.charAt(0).toUpperCase()}${t.stages[0]?.slice(1)}`;
  return [...KEYS, ...theirs.map((t): [string, string] => [`${t.key} in ${stageOf(t)}`, t.title])];
}

/** The keys, to be searched. */
export function KeySheet({
  open,
  onClose,
  onTour,
  tools,
}: SheetProps & { onTour: () => void; tools: readonly ToolInfo[] }) {
  const [text, setText] = useState("");
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = keysOf(tools).filter((line) => words.every((w) => line.join(" ").toLowerCase().includes(w)));
  return (
    <Over open={open} onClose={onClose} label="Keys">
      <Top>
        <Heading slot="title">Keys</Heading>
        <Button onPress={onTour}>Take the tour</Button>
      </Top>
      <SearchField aria-label="Search the keys" autoFocus value={text} onChange={setText}>
        <Input placeholder="A key, or what it does" />
      </SearchField>
      <Table tabIndex={0}>
        {found.map(([keys, does]) => (
          <div key={keys} style={{ display: "contents" }}>
            <dt>
              <Key>{keys}</Key>
            </dt>
            <dd>{does}</dd>
          </div>
        ))}
        {found.length === 0 && <dd>No key does that.</dd>}
      </Table>
    </Over>
  );
}
