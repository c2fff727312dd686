import { Download } from "lucide-react";
import { useState } from "react";
import styled from "styled-components";
import { within } from "../api/here";
import type { Piece, Thing } from "../api/types";
import { isShown, useLevel } from "../state/level";
import { select } from "../state/selection";
import { Button, Picker } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { look } from "../viewport/looking";
import { UnitAndAxis } from "./UnitAndAxis";

const Names = styled.div`
  display: flex; flex-wrap: wrap; gap: 2px 4px; align-items: baseline;
  & > span { color: var(--quiet); }
  & button { padding: 0 4px; min-height: 1.25rem; color: var(--petrol); }
`;
const SHOWN = 6;

/** The things of the level that show a piece; a click selects one. */
export function UsedBy({ piece }: { piece: Piece }) {
  const things = useLevel((s) => s.scene.things);
  const users: Thing[] = [];
  for (const t of things.values()) if (isShown(t) && t.piece === piece.id) users.push(t);
  if (users.length === 0) return null;
  return (
    <Names role="group" aria-label="Used by">
      <span>Used by</span>
      {users.slice(0, SHOWN).map((t) => (
        <Button
          key={t.id}
          data-plain="true"
          onPress={() => {
            select([t.id]);
            look(false);
          }}
        >
          {t.name}
        </Button>
      ))}
      {users.length > SHOWN && (
        <Button data-plain="true" onPress={() => select(users.map((t) => t.id))}>
          all {users.length}
        </Button>
      )}
    </Names>
  );
}

const Block = styled.div`border-top: 1px solid var(--line); padding-top: 8px; display: grid; gap: 4px;`;
const FORMATS = [
  { value: "glb", label: "GLB" },
  { value: "obj", label: "OBJ with MTL" },
  { value: "ply", label: "PLY" },
  { value: "stl", label: "STL" },
];
/** A piece as a file. */
export function ExportPiece({ piece }: { piece: Piece }) {
  const [open, setOpen] = useState(false);
  const [format, setFormat] = useState("glb");
  const [unit, setUnit] = useState("m");
  const [up, setUp] = useState("y");
  const plain = format === "glb";
  const query = new URLSearchParams({ format, unit: plain ? "m" : unit, up: plain ? "y" : up });
  if (!open) {
    return (
      <Button onPress={() => setOpen(true)}>
        <Download size={14} aria-hidden /> Export this piece
      </Button>
    );
  }
  return (
    <Block role="group" aria-label="Export this piece">
      <Labelled>
        <span>Format</span>
        <Picker label="Format" value={format} options={FORMATS} onChange={setFormat} />
      </Labelled>
      {!plain && <UnitAndAxis unit={unit} up={up} onUnit={setUnit} onUp={setUp} />}
      <Button
        data-main="true"
        onPress={() => {
          window.location.assign(within(`pieces/${piece.id}/export?${query}`));
        }}
      >
        <Download size={14} aria-hidden /> Save {format.toUpperCase()}
      </Button>
    </Block>
  );
}
