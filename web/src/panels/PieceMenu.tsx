import { Ellipsis } from "lucide-react";
import { Menu, MenuItem, MenuTrigger } from "react-aria-components";
import styled from "styled-components";
import type { Piece, ToolInfo } from "../api/types";
import { select } from "../state/selection";
import { startTool, whyNot } from "../tools/registry";
import { Button, Floating } from "../ui/controls";

const Dots = styled(Button)`
  && { position: absolute; top: 6px; right: 6px; min-height: 1.25rem; padding: 0 3px; color: var(--ink); background: var(--field); border-color: var(--line); opacity: 0; }
  li:hover > &, li:focus-within > &, &[aria-expanded="true"] { opacity: 1; }
`;
/** What can be done with a piece of the shelf. */
export function PieceMenu({ piece, tools }: { piece: Piece; tools: readonly ToolInfo[] }) {
  const suits = tools.filter((t) => !t.hidden && (t.need.least ?? 0) > 0 && whyNot(t, [piece]) === null);
  const act = (key: string) => {
    select([piece.id]);
    const tool = suits.find((t) => t.tool === key);
    if (tool) startTool(tool);
  };
  return (
    <MenuTrigger>
      <Dots aria-label={`${piece.name}: what to do`}>
        <Ellipsis size={14} aria-hidden />
      </Dots>
      <Floating placement="bottom end">
        <Menu aria-label={piece.name} onAction={(key) => act(String(key))}>
          {suits.map((t) => (
            <MenuItem key={t.tool} id={t.tool}>
              {t.title}
            </MenuItem>
          ))}
        </Menu>
      </Floating>
    </MenuTrigger>
  );
}
