import { Ellipsis } from "lucide-react";
import { Menu, MenuItem, MenuTrigger } from "react-aria-components";
import styled from "styled-components";
import type { Piece, ToolInfo } from "../api/types";
import { startPlacing } from "../state/running";
import { select } from "../state/selection";
import { startTool } from "../tools/registry";
import { Button, Floating } from "../ui/controls";

const Dots = styled(Button)`
  && { position: absolute; top: 6px; right: 6px; min-height: 20px; padding: 0 3px; color: var(--ink); background: var(--field); border-color: var(--line); opacity: 0; }
  li:hover > &, li:focus-within > &, &[aria-expanded="true"] { opacity: 1; }
`;
const ENTRIES: [string, string][] = [
  ["place", "Place"],
  ["rename", "Rename"],
  ["duplicate_piece", "Duplicate"],
  ["tag_pieces", "Tags"],
  ["set_pivot", "Set pivot"],
  ["replace_piece", "Replace everywhere"],
  ["delete", "Delete"],
];

/** What can be done with a piece of the shelf. */
export function PieceMenu({ piece, tools }: { piece: Piece; tools: readonly ToolInfo[] }) {
  const act = (key: string) => {
    select([piece.id]);
    const tool = tools.find((t) => t.tool === key);
    if (key === "place") startPlacing(piece.id);
    else if (tool) startTool(tool);
  };
  return (
    <MenuTrigger>
      <Dots aria-label={`${piece.name}: what to do`}>
        <Ellipsis size={14} aria-hidden />
      </Dots>
      <Floating placement="bottom end">
        <Menu aria-label={piece.name} onAction={(key) => act(String(key))}>
          {ENTRIES.map(([id, word]) => (
            <MenuItem key={id} id={id}>
              {word}
            </MenuItem>
          ))}
        </Menu>
      </Floating>
    </MenuTrigger>
  );
}
