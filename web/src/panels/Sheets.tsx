import { type ReactNode, useMemo, useState } from "react";
import { Dialog, Input, ListBox, ListBoxItem, Modal, ModalOverlay, SearchField } from "react-aria-components";
import styled from "styled-components";
import { useShapes } from "../api/queries";
import type { ToolInfo } from "../api/types";
import { startDrawing } from "../hand/modes/draw";
import { setView } from "../state/view";
import { selectedRows, startTool, whyNot } from "../tools/registry";
import { toolKey } from "../tools/toolKeys";
import { Key } from "../ui/controls";
import { iconOf } from "../ui/icons";
import { keyShown } from "../ui/keyMap";

const Veil = styled(ModalOverlay)`
  position: fixed; inset: 0; background: rgb(34 48 58 / 0.25); display: grid; justify-items: center; align-items: start;
  padding-top: 12vh; z-index: 20;
`;
const Sheet = styled(Modal)`
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; box-shadow: var(--float); width: 30rem; max-width: 92vw;
  & [role="dialog"] { outline: none; max-height: 70vh; display: flex; flex-direction: column; }
  & h2 { padding: 12px 16px 4px; font-weight: 640; font-size: 0.9375rem; }
  & input { all: unset; box-sizing: border-box; width: 100%; padding: 12px 16px; font-size: 0.9375rem; border-bottom: 1px solid var(--line); }
  & [role="listbox"] { overflow: auto; padding: 6px; outline: none; }
  & [role="option"] { display: grid; grid-template-columns: 20px 1fr auto; gap: 2px 10px; padding: 6px 10px; border-radius: 3px; cursor: pointer; outline: none; align-items: center; }
  & [role="option"] small { grid-column: 2; color: var(--quiet); font-size: 0.75rem; }
  & [role="option"][data-focused] { background: var(--petrol-wash); }
  & [data-off="true"] { opacity: 0.62; }
`;
export interface SheetProps {
  open: boolean;
  onClose: () => void;
}

/** A sheet over the page. */
export function Over({ open, onClose, label, children }: SheetProps & { label: string; children: ReactNode }) {
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
      .map(
        (tool): Hit => ({
          id: tool.tool,
          entry: { ...tool, key: toolKey(tool) },
          reason: whyNot(tool, rows),
          start: () => startOf(tool),
        }),
      );
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
              {entry.key ? <Key>{keyShown(entry.key)}</Key> : <span />}
              <small>{reason ?? entry.about}</small>
            </ListBoxItem>
          );
        }}
      </ListBox>
    </>
  );
}
