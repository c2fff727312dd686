import styled from "styled-components";
import type { ArrayRow, Group, Piece, Placement, Thing, Vector } from "../../api/types";
import { kindOf } from "../../state/kinds";
import { isShown, type Scene, shown, useLevel } from "../../state/level";
import { select } from "../../state/selection";
import { Button } from "../../ui/controls";
import { degrees } from "../../ui/degrees";
import { VectorField } from "../../ui/fields";
import { grouped } from "../../ui/words";

export const Facts = styled.dl`
  margin: 0; display: grid; grid-template-columns: max-content 1fr; gap: 2px 12px;
  & dt { color: var(--quiet); } & dd { margin: 0; text-align: right; }
`;
export const Linked = styled.span`
  display: inline-flex; gap: 4px; align-items: center; && { color: var(--petrol); font-weight: 600; }
`;
const GoTo = styled(Button)`&&& { min-height: 0; padding: 0; color: var(--petrol); }`;

/** How many items show a piece. */
export function useUses(piece: string): number {
  return useLevel((s) => shown(s).summary?.uses.find((u) => u.piece === piece)?.items ?? 0);
}

/** Sizes, triangles and vertices of a piece, and what slimming it has cost. */
export function PieceFacts({ piece, items, factors }: { piece: Piece; items?: number; factors?: Vector }) {
  const size = piece.facts.high
    .map((v, k) => ((v - (piece.facts.low[k] ?? 0)) * Math.abs(factors?.[k] ?? 1)).toFixed(2))
    .join(" × ");
  return (
    <Facts>
      <dt>Measures</dt>
      <dd>{`${size}\u00a0m`}</dd>
      <dt>Triangles</dt>
      <dd>
        {grouped(piece.facts.triangles)}
        {items !== undefined && items > 1 ? ` × ${items} = ${grouped(piece.facts.triangles * items)}` : ""}
      </dd>
      <dt>Hardware vertices</dt>
      <dd>{grouped(piece.facts.hardware_vertices)}</dd>
      {piece.slim && (
        <>
          <dt>Slimmed from</dt>
          <dd>{grouped(piece.slim.triangles)} tris</dd>
          <dt>Deviation RMS</dt>
          <dd>{(piece.slim.rms * 1000).toFixed(2)} mm RMS</dd>
          <dt>Deviation largest</dt>
          <dd>{(piece.slim.largest * 1000).toFixed(2)} mm</dd>
        </>
      )}
    </Facts>
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
        aside="world axes, m"
        digits={2}
        value={(of.position ?? [0, 0, 0]) as Vector}
        step={step}
        onCommit={(position) => set({ position })}
      />
      <VectorField
        label="Turn"
        aside="degrees"
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

/** The triangles of pieces and of things. */
export function trianglesOf(scene: Scene, rows: readonly (Piece | Thing)[]): number {
  return rows.reduce((sum, row) => {
    if (row.kind === "piece") return sum + row.facts.triangles;
    if (!isShown(row)) return sum;
    for (const { piece, numbers } of kindOf(row).runs?.(scene, row) ?? []) {
      sum += numbers.length * (scene.pieces.get(piece)?.facts.triangles ?? 0);
    }
    return sum;
  }, 0);
}
