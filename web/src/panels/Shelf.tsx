import { Plus } from "lucide-react";
import { type ChangeEvent, type PointerEvent, useMemo, useRef } from "react";
import { Menu, MenuItem, MenuTrigger } from "react-aria-components";
import styled from "styled-components";
import { bringIn } from "../api/steps";
import type { Piece, ToolInfo } from "../api/types";
import { useLevel } from "../state/level";
import { openCard, runningStore, startPlacing } from "../state/running";
import { hover, select, useSelection } from "../state/selection";
import { Button, Floating } from "../ui/controls";
import { grouped } from "../ui/words";
import { usePicture } from "../viewport/pictures";
import { Heading } from "./parts";

const Grid = styled.ul`
  list-style: none; margin: 0; padding: 0 10px 10px; display: grid; grid-template-columns: repeat(2, minmax(0, 1fr)); gap: 6px; overflow-y: auto;
`;
const Tile = styled.button`
  all: unset; box-sizing: border-box; display: grid; width: 100%; min-width: 0; padding: 4px; border: 1px solid var(--line); border-radius: 4px; grid-template-columns: minmax(0, 1fr);
  background: var(--field); cursor: grab; touch-action: none; user-select: none;
  & img, & i { width: 100%; aspect-ratio: 176 / 104; background: var(--sheet); border-radius: 2px; display: block; }
  & strong { font-weight: 600; font-size: 12px; line-height: 16px; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; margin-top: 3px; }
  & small { font-size: 11px; line-height: 14px; color: var(--quiet); overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  &:hover { border-color: var(--line-strong); }
  &[aria-pressed="true"] { border-color: var(--petrol); background: var(--petrol-wash); }
  &:focus-visible { outline: 2px solid var(--petrol); }
`;
const Empty = styled.p`padding: 0 12px 12px; color: var(--quiet);`;

/** The shelf: every piece of the kit with its picture. */
export function Shelf({ tools }: { tools: readonly ToolInfo[] }) {
  const pieces = useLevel((s) => s.scene.pieces);
  const uses = useLevel((s) => s.scene.summary?.uses);
  const count = useMemo(() => new Map(uses?.map((u) => [u.piece, u.items])), [uses]);
  const file = useRef<HTMLInputElement>(null);
  const shapes = tools.filter((t) => t.verb === "Make" && !t.hidden);
  const chosen = (event: ChangeEvent<HTMLInputElement>) => {
    const [first] = event.currentTarget.files ?? [];
    if (first) void bringIn(first, false);
    event.currentTarget.value = "";
  };
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
              onAction={(key) => (key === "file" ? file.current?.click() : openCard(String(key)))}
            >
              {shapes.map((t) => (
                <MenuItem key={t.tool} id={t.tool}>
                  {t.title}
                </MenuItem>
              ))}
              <MenuItem id="file">Bring in a GLB file</MenuItem>
            </Menu>
          </Floating>
        </MenuTrigger>
        <input ref={file} type="file" accept=".glb,model/gltf-binary" hidden aria-label="GLB file" onChange={chosen} />
      </Heading>
      {pieces.size === 0 ? (
        <Empty>No pieces yet. Make one with New, or bring in a GLB file.</Empty>
      ) : (
        <Grid aria-label="Shelf">
          {[...pieces.values()].map((piece) => (
            <li key={piece.id}>
              <PieceTile piece={piece} uses={count.get(piece.id) ?? 0} />
            </li>
          ))}
        </Grid>
      )}
    </>
  );
}

function PieceTile({ piece, uses }: { piece: Piece; uses: number }) {
  const picture = usePicture(piece);
  const selected = useSelection((s) => s.ids.includes(piece.id));
  const press = useRef<{ x: number; y: number } | null>(null);
  const size = piece.facts.high.map((v, k) => (v - (piece.facts.low[k] ?? 0)).toFixed(2)).join(" × ");
  const move = (event: PointerEvent) => {
    const from = press.current;
    if (!from || Math.hypot(event.clientX - from.x, event.clientY - from.y) < 6) return;
    press.current = null;
    startPlacing(piece.id, true);
    runningStore.setState({ pointer: { x: event.clientX, y: event.clientY } });
  };
  return (
    <Tile
      type="button"
      aria-pressed={selected}
      title={`${piece.name}\n${size} m · drag into the level to place`}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        press.current = { x: event.clientX, y: event.clientY };
        (event.target as Element).releasePointerCapture?.(event.pointerId);
      }}
      onPointerMove={move}
      onPointerUp={() => {
        press.current = null;
      }}
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
    </Tile>
  );
}
