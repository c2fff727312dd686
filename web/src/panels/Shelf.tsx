import { Plus } from "lucide-react";
import { type PointerEvent, useMemo, useRef, useState } from "react";
import { Input, Menu, MenuItem, MenuTrigger, SearchField } from "react-aria-components";
import styled from "styled-components";
import { useShapes } from "../api/queries";
import type { Piece, ToolInfo } from "../api/types";
import { startDrawing } from "../hand/modes/draw";
import { startPlacing } from "../hand/modes/place";
import { usePicture } from "../scene/pieces/pictures";
import { useLevel } from "../state/level";
import { runningStore } from "../state/running";
import { hover, select, useSelection } from "../state/selection";
import type { LengthUnit } from "../theme/settings";
import { Button, Floating } from "../ui/controls";
import { shortLength, useUnit } from "../ui/lengths";
import { grouped } from "../ui/words";
import { ModelFile } from "./ModelFile";
import { PieceMenu } from "./PieceMenu";
import { Heading } from "./parts";

const Grid = styled.ul`
  list-style: none; margin: 0; padding: 0 10px 10px; display: grid; grid-template-columns: repeat(2, minmax(0, 1fr)); gap: 6px; overflow-y: auto; background: var(--panel);
  & > li { position: relative; }
`;
const Search = styled(SearchField)`
  padding: 0 10px 6px;
  & input { width: 100%; min-height: 1.625rem; padding: 3px 8px; border: 1px solid var(--line); border-radius: 3px; background: var(--field); }
`;
const Tile = styled.button`
  all: unset; box-sizing: border-box; display: grid; width: 100%; min-width: 0; padding: 4px; border: 1px solid var(--line); border-radius: 4px; grid-template-columns: minmax(0, 1fr);
  background: var(--field); cursor: grab; touch-action: none; user-select: none;
  & img, & i { width: 100%; aspect-ratio: 176 / 104; background: var(--sheet); border-radius: 2px; display: block; }
  & strong { font-weight: 600; font-size: 0.7188rem; line-height: 1rem; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; margin-top: 3px; }
  & small { font-size: 0.6875rem; line-height: 0.875rem; color: var(--quiet); overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  &:hover { border-color: var(--line-strong); }
  &[aria-pressed="true"] { border-color: var(--petrol); background: var(--petrol-wash); }
  &:focus-visible { outline: 2px solid var(--petrol); }
`;
const Empty = styled.p`padding: 0 12px 12px; color: var(--quiet);`;

/** The shelf: every piece of the kit with its picture. */
export function Shelf({ tools }: { tools: readonly ToolInfo[] }) {
  const pieces = useLevel((s) => s.scene.pieces);
  const uses = useLevel((s) => s.scene.summary?.uses);
  const shapes = useShapes();
  const count = useMemo(() => new Map(uses?.map((u) => [u.piece, u.items])), [uses]);
  const [text, setText] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const found = useMemo(() => {
    const words = text
      .toLowerCase()
      .split(/[\s,]+/)
      .filter(Boolean);
    return [...pieces.values()].filter((p) => {
      const all = [p.name, ...(p.tags ?? [])].join(" ").toLowerCase();
      return words.every((w) => all.includes(w));
    });
  }, [pieces, text]);
  return (
    <>
      <Heading>
        <h2>
          Shelf · {pieces.size} {pieces.size === 1 ? "piece" : "pieces"}
        </h2>
        <MenuTrigger>
          <Button data-plain="true" aria-label="New piece">
            <Plus size={14} aria-hidden /> New
          </Button>
          <Floating placement="bottom end">
            <Menu
              aria-label="New piece"
              onAction={(key) => (key === "file" ? file.current?.click() : startDrawing(String(key)))}
            >
              <MenuItem id="file">Bring in a file …</MenuItem>
              {shapes.map((s) => (
                <MenuItem key={s.kind} id={s.kind}>
                  Draw {s.title.toLowerCase()}
                </MenuItem>
              ))}
            </Menu>
          </Floating>
        </MenuTrigger>
        <ModelFile ref={file} label="File to bring in" />
      </Heading>
      {pieces.size > 8 && (
        <Search aria-label="Search the shelf" value={text} onChange={setText}>
          <Input placeholder="Name or tag" />
        </Search>
      )}
      {pieces.size === 0 ? (
        <Empty>No pieces yet. Draw one with New, or drop a GLB, glTF, OBJ, PLY or STL file onto the page.</Empty>
      ) : found.length === 0 ? (
        <Empty>No piece is called or tagged like that.</Empty>
      ) : (
        <Grid aria-label="Shelf">
          {found.map((piece) => (
            <li key={piece.id}>
              <PieceTile piece={piece} uses={count.get(piece.id) ?? 0} />
              <PieceMenu piece={piece} tools={tools} />
            </li>
          ))}
        </Grid>
      )}
    </>
  );
}

/** A length in as few digits as tell a tile's size apart; the card tells it exactly. */
const short = (metres: number, unit: LengthUnit) =>
  shortLength(metres, metres >= 10 ? 0 : metres >= 1 ? 1 : 2, unit).split("\u00a0")[0];

function PieceTile({ piece, uses }: { piece: Piece; uses: number }) {
  const picture = usePicture(piece);
  const selected = useSelection((s) => s.ids.includes(piece.id));
  const unit = useUnit();
  const size = piece.facts.high.map((v, k) => short(v - (piece.facts.low[k] ?? 0), unit)).join("\u202f×\u202f");
  const press = (event: PointerEvent) => {
    if (event.button !== 0) return;
    const from = { x: event.clientX, y: event.clientY };
    (event.target as Element).releasePointerCapture?.(event.pointerId);
    // a quick hand has left the tile before its first move is told
    const move = (now: globalThis.PointerEvent) => {
      if (Math.hypot(now.clientX - from.x, now.clientY - from.y) < 6) return;
      end();
      startPlacing(piece.id, true);
      runningStore.setState({ pointer: { x: now.clientX, y: now.clientY } });
    };
    const end = () => {
      window.removeEventListener("pointermove", move, true);
      window.removeEventListener("pointerup", end, true);
      window.removeEventListener("pointercancel", end, true);
    };
    window.addEventListener("pointermove", move, true);
    window.addEventListener("pointerup", end, true);
    window.addEventListener("pointercancel", end, true);
  };
  return (
    <Tile
      type="button"
      aria-pressed={selected}
      title={[piece.name, ...(piece.tags ?? []).map((t) => `#${t}`), "drag into the level to place"].join("\n")}
      onPointerDown={press}
      onPointerEnter={() => hover(piece.id)}
      onPointerLeave={() => hover(null)}
      onClick={() => select([piece.id])}
      onDoubleClick={() => startPlacing(piece.id)}
    >
      {picture ? <img src={picture} alt="" draggable={false} /> : <i />}
      <strong>{piece.name}</strong>
      <small>
        {grouped(piece.facts.triangles)} tris · {uses} {uses === 1 ? "use" : "uses"}
      </small>
      <small title={`${size} ${unit}`}>{unit === "mm" ? size : `${size} ${unit}`}</small>
    </Tile>
  );
}
