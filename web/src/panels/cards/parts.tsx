import styled from "styled-components";
import type { ArrayRow, Group, Piece, Placement, Run, Thing, Vector } from "../../api/types";
import { kindOf } from "../../state/kinds";
import { isShown, type Scene, shown, useLevel } from "../../state/level";
import { select } from "../../state/selection";
import { Button } from "../../ui/controls";
import { degrees } from "../../ui/degrees";
import { VectorField } from "../../ui/fields";
import { lengths, useUnit } from "../../ui/lengths";
import { atMost, grouped } from "../../ui/words";

export const Facts = styled.dl`
  margin: 0; display: grid; grid-template-columns: max-content 1fr; gap: 2px 12px;
  & dt { color: var(--quiet); } & dd { margin: 0; text-align: right; }
`;
/** Facts that need no words, in one line where there is room. */
export const Line = styled.p`
  display: flex; flex-wrap: wrap; justify-content: space-between; gap: 0 8px; color: var(--quiet); font-size: 0.7812rem;
  & > :first-child { color: var(--ink); }
`;
export const Linked = styled.span`
  display: inline-flex; gap: 4px; align-items: center; && { color: var(--petrol); font-weight: 600; }
`;
const GoTo = styled(Button)`&&& { min-height: 0; padding: 0; color: var(--petrol); }`;

/** How many items show a piece. */
export function useUses(piece: string): number {
  return useLevel((s) => shown(s).summary?.uses.find((u) => u.piece === piece)?.items ?? 0);
}

/** Triangles and hardware vertices. */
type Counts = Pick<Run, "triangles" | "hardware_vertices">;

/** A count of one, and of all items together, which are not all alike where they are bent or of several pieces. */
function counted(one: number, items: number, all: number): string {
  if (items <= 1) return grouped(all);
  return all === one * items ? `${grouped(one)} × ${items} = ${grouped(all)}` : `${grouped(all)} in ${items} items`;
}

interface FactsProps {
  piece: Piece;
  items?: number;
  factors?: Vector;
  /** Of all items; those of the piece where they are left out. */
  all?: Counts;
}

/** Sizes, triangles and vertices of a piece, and what slimming it has cost. */
export function PieceFacts({ piece, items = 1, factors, all = piece.facts }: FactsProps) {
  const size = piece.facts.high.map((v, k) => (v - (piece.facts.low[k] ?? 0)) * Math.abs(factors?.[k] ?? 1));
  const unit = useUnit();
  // what is told of slimming is meant for one size; what stands larger is farther off
  const madeFor = piece.slim?.size ?? [1, 1, 1];
  const times = Math.max(1, ...madeFor.map((t, k) => Math.abs(factors?.[k] ?? 0) / (t || 1)));
  return (
    <>
      <Line>
        <span title="Measures">{lengths(size, 2, " × ", unit)}</span>
        <span title={`Triangles: ${counted(piece.facts.triangles, items, all.triangles)}`}>
          {`${grouped(all.triangles)}\u00a0tris`}
        </span>
        <span title={`Hardware vertices: ${counted(piece.facts.hardware_vertices, items, all.hardware_vertices)}`}>
          {`${grouped(all.hardware_vertices)}\u00a0hw\u00a0verts`}
        </span>
      </Line>
      {(piece.facts.own_normals || piece.slim) && (
        <Facts>
          {piece.facts.own_normals && (
            <>
              <dt>Normals</dt>
              <dd>of its file, until edited</dd>
            </>
          )}
          {piece.slim && (
            <>
              <dt>Slimmed from</dt>
              <dd>{grouped(piece.slim.triangles)} tris</dd>
              <dt>Deviation</dt>
              <dd>
                {(piece.slim.rms * times * 1000).toFixed(2)} mm RMS, {piece.slim.proven ? "" : "≈ "}
                {atMost(piece.slim.largest * times * 1000)} mm largest
              </dd>
            </>
          )}
        </Facts>
      )}
    </>
  );
}

interface StandProps {
  label: string;
  of: Placement | ArrayRow | Group;
  set: (part: { position: Vector } | { turn: Vector }) => void;
}

/** Where something stands, and how it is turned. */
export function StandFields({ label, of, set }: StandProps) {
  const step = useLevel((s) => s.scene.level?.step ?? 0.5);
  return (
    <>
      <VectorField
        label={label}
        hint="world axes"
        unit="m"
        digits={2}
        value={(of.position ?? [0, 0, 0]) as Vector}
        step={step}
        onCommit={(position) => set({ position })}
      />
      <VectorField
        label="Turn"
        hint="degrees"
        digits={2}
        value={degrees(of.turn)}
        step={15}
        onCommit={(turn) => set({ turn })}
      />
    </>
  );
}

/** The group that a thing is in, and the way there. */
export function Within({ thing }: { thing: Thing }) {
  const group = useLevel((s) => s.scene.things.get(thing.group ?? ""));
  if (!group) return null;
  return (
    <Facts>
      <dt>In group</dt>
      <dd>
        <GoTo data-plain="true" onPress={() => select([group.id])}>
          {group.name}
        </GoTo>
      </dd>
    </Facts>
  );
}

/** What pieces and things cost, all items counted. */
export function costOf(scene: Scene, rows: readonly (Piece | Thing)[]): Counts {
  const out = { triangles: 0, hardware_vertices: 0 };
  const add = (c: Counts) => {
    out.triangles += c.triangles;
    out.hardware_vertices += c.hardware_vertices;
  };
  for (const row of rows) {
    if (row.kind === "piece") add(row.facts);
    else if (isShown(row)) (kindOf(row).runs?.(scene, row) ?? []).forEach(add);
  }
  return out;
}
