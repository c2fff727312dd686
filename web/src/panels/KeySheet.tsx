import { RotateCcw } from "lucide-react";
import { type KeyboardEvent, useState } from "react";
import { Heading, Input, SearchField } from "react-aria-components";
import styled from "styled-components";
import type { ToolInfo } from "../api/types";
import { toolEntries } from "../tools/toolKeys";
import { Button, IconButton, Key } from "../ui/controls";
import {
  type KeyEntry,
  keyOf,
  keyShown,
  pressedKey,
  resetKeys,
  setKey,
  takenBy,
  useKeyMap,
  whyNotKey,
} from "../ui/keyMap";
import { Wrong } from "../ui/NumberField";
import { Over, type SheetProps } from "./Sheets";

const Top = styled.div`
  display: flex; align-items: center; gap: 8px; padding: 8px 16px 0 0; & > h2 { flex: 1; padding-top: 4px; }
`;
const Lists = styled.div`
  overflow: auto; padding: 8px 8px 16px 16px; scrollbar-gutter: stable;
  & h3 { font-weight: 620; padding: 8px 0 4px; }
`;
const Table = styled.dl`
  margin: 0; display: grid; grid-template-columns: 6.5rem 1fr; gap: 3px 14px; align-items: center;
  &[data-wide="true"] { grid-template-columns: 11rem 1fr; gap: 5px 14px; align-items: baseline; }
  & kbd { white-space: normal; box-decoration-break: clone; }
  & dt { text-align: right; } & dd { margin: 0; display: flex; align-items: center; min-height: 1.5rem; }
  & dd > span { flex: 1; } & dd button { min-height: 0; padding: 2px 4px; }
  & > p { grid-column: 1 / -1; }
`;
const Change = styled(Button)`
  && { padding: 1px 5px; min-height: 1.25rem; font-size: 0.6875rem; line-height: 0.875rem; background: var(--field); min-width: 1.5rem; }
  &&[data-waits="true"] { border-color: var(--petrol); color: var(--petrol); }
`;
const Taken = styled.p`
  display: flex; flex-wrap: wrap; gap: 6px; align-items: center; padding: 4px 8px; background: var(--ochre-wash); color: var(--ochre);
  & span { flex: 1 1 12rem; }
`;

/** What has its keys or its ways of the hand for good. */
const FIXED: [string, string][] = [
  ["Alt 1 … 5", "Kit, Build, Shape, Slim, Ship"],
  ["Shift 1 … 5", "Free, Plan, Front, Side, Eye"],
  ["Enter, Esc", "accept, step back"],
  ["Enter or double-click on a group or a placement, Esc", "work within it, shape its piece; leave it"],
  ["V, E, F, R in Shape", "pick vertices, edges, faces, facets"],
  ["+, Backspace in Shape", "grow, shrink what is picked; a double click goes along: a loop, a plane"],
  ["Q while dragging a box in Shape", "a free outline, or a box again"],
  ["Enter, Esc while cutting", "cut; one place back"],
  ["hold V in Slim", "the piece as it is, instead of a rung"],
  ["a number, with the pointer on a handle", "the measure; to 5: the place itself"],
  ["hold Ctrl Shift while dragging a handle", "leave a copy behind"],
  ["hold Ctrl while dragging", "snapping off"],
  ["Shift while drawing", "grow from the centre"],
  ["click a point of the selected path", "choose it; Shift adds; a double click on the line puts one in"],
  ["U while drawing a path", "its points lie over what stands there, or level again"],
  ["hold Alt while dragging a point of a path", "over what stands there"],
  ["Shift, Ctrl, Alt click", "add, add or remove, remove from the selection"],
  ["right-drag", "turn the view; the settings may have the middle button do it"],
  ["middle-drag, Shift right-drag", "shift the view"],
  ["wheel, Page up, Page down", "go nearer, further"],
  ["arrow keys in the view", "turn; with Shift, shift"],
  ["F2 in the level list", "rename"],
];
const IN: Record<KeyEntry["scope"], string> = { everywhere: "", shape: ", in Shape", slim: ", in Slim" };

interface KeySheetProps extends SheetProps {
  onTour: () => void;
  tools: readonly ToolInfo[];
  /** Keys that belong to no tool. */
  page: readonly KeyEntry[];
}

/** All keys, to be searched and changed. */
export function KeySheet({ open, onClose, onTour, tools, page }: KeySheetProps) {
  return (
    <Over open={open} onClose={onClose} label="Keys">
      <Keys tools={tools} page={page} onTour={onTour} />
    </Over>
  );
}

function Keys({ tools, page, onTour }: Pick<KeySheetProps, "tools" | "page" | "onTour">) {
  const own = useKeyMap();
  const [text, setText] = useState("");
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const entries = [...page, ...toolEntries(tools)];
  const fits = (...line: string[]) => words.every((w) => line.join(" ").toLowerCase().includes(w));
  const found = entries.filter((e) => fits(keyShown(keyOf(e.ours, e.scope)), e.does, IN[e.scope]));
  const fixed = FIXED.filter((line) => fits(...line));
  return (
    <>
      <Top>
        <Heading slot="title">Keys</Heading>
        {Object.keys(own).length > 0 && <Button onPress={resetKeys}>All as they were</Button>}
        <Button onPress={onTour}>Take the tour</Button>
      </Top>
      <SearchField aria-label="Search the keys" autoFocus value={text} onChange={setText}>
        <Input placeholder="A key, or what it does" />
      </SearchField>
      <Lists tabIndex={0}>
        {found.length > 0 && <h3>Press one of these keys here to change it</h3>}
        <Table>
          {found.map((entry) => (
            <OneKey key={`${entry.scope}:${entry.ours}`} entry={entry} entries={entries} />
          ))}
        </Table>
        {fixed.length > 0 && <h3>Always so</h3>}
        <Table data-wide="true">
          {fixed.map(([keys, does]) => (
            <div key={keys} style={{ display: "contents" }}>
              <dt>
                <Key>{keys}</Key>
              </dt>
              <dd>{does}</dd>
            </div>
          ))}
        </Table>
        {found.length + fixed.length === 0 && <p>No key does that.</p>}
      </Lists>
    </>
  );
}

/** One key that may be changed: pressed, it waits for another one. */
function OneKey({ entry, entries }: { entry: KeyEntry; entries: readonly KeyEntry[] }) {
  const [waits, setWaits] = useState(false);
  const [wanted, setWanted] = useState<string | null>(null);
  const [wrong, setWrong] = useState("");
  const now = keyOf(entry.ours, entry.scope);
  const taken = wanted === null ? [] : takenBy(entries, entry, wanted);
  const take = (key: string) => {
    setWaits(false);
    setWrong("");
    const why = key === entry.ours ? null : whyNotKey(key, entry.scope);
    if (why) setWrong(why);
    else if (takenBy(entries, entry, key).length > 0) setWanted(key);
    else setKey(entries, entry, key);
  };
  const heard = (event: KeyboardEvent) => {
    if (!waits) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key === "Escape" || event.key === "Tab") return setWaits(false);
    const key = pressedKey(event.nativeEvent);
    if (key) take(key);
  };
  return (
    <>
      <dt onKeyDownCapture={heard}>
        <Change
          data-waits={waits}
          aria-label={`Key of ${entry.does}${IN[entry.scope]}: ${keyShown(now) || "none"}`}
          onPress={() => setWaits(true)}
          onBlur={() => setWaits(false)}
        >
          {waits ? "press a key" : keyShown(now) || "none"}
        </Change>
      </dt>
      <dd>
        <span>
          {entry.does}
          {IN[entry.scope]}
        </span>
        {now !== entry.ours && (
          <IconButton label={`Back to ${keyShown(entry.ours)}`} onPress={() => take(entry.ours)}>
            <RotateCcw size={14} aria-hidden />
          </IconButton>
        )}
      </dd>
      {wrong && <Wrong role="alert">{wrong}</Wrong>}
      {wanted !== null && taken.length > 0 && (
        <Taken role="alert">
          <span>
            {keyShown(wanted)} is the key of {taken.map((e) => `${e.does}${IN[e.scope]}`).join("; ")}, which would have
            none.
          </span>
          <Button
            onPress={() => {
              setKey(entries, entry, wanted);
              setWanted(null);
            }}
          >
            Take it
          </Button>
          <Button onPress={() => setWanted(null)}>Leave it</Button>
        </Taken>
      )}
    </>
  );
}
