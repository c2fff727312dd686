import { Link2, TriangleAlert } from "lucide-react";
import styled from "styled-components";
import { takeStep } from "../api/steps";
import type { Course, LineArray, Path, Piece, Placement, Thing, Vector } from "../api/types";
import { shown, useLevel } from "../state/level";
import { openCard } from "../state/running";
import { useSelection } from "../state/selection";
import { Button } from "../ui/controls";
import { degrees } from "../ui/degrees";
import { VectorField } from "../ui/fields";
import { grouped } from "../ui/words";
import { Dimensions } from "./Dimensions";
import { MarkButtons } from "./MarkButtons";
import { ExportPiece, UsedBy } from "./PieceParts";
import { Card, Quiet } from "./parts";

const Linked = styled.span`
  display: inline-flex; gap: 4px; align-items: center; && { color: var(--petrol); font-weight: 600; }
`;
const Unclean = styled.div`
  display: flex; align-items: center; gap: 6px; color: var(--ochre);
  & span { flex: 1; }
`;
const Facts = styled.dl`
  margin: 0; display: grid; grid-template-columns: max-content 1fr; gap: 2px 12px;
  & dt { color: var(--quiet); } & dd { margin: 0; text-align: right; }
`;

/** What is selected, and its exact numbers. */
export function SelectionCard() {
  const ids = useSelection((s) => s.ids);
  const scene = useLevel(shown);
  const rows = ids.flatMap((id) => scene.pieces.get(id) ?? scene.things.get(id) ?? []);
  const [first] = rows;
  if (!first) {
    return (
      <Card aria-label="Selection">
        <header>
          <h2>Nothing selected</h2>
        </header>
        <div>
          <Quiet>Click a piece in the view, drag a box round several, or pick from the lists on the left.</Quiet>
        </div>
      </Card>
    );
  }
  if (rows.length > 1) return <Several rows={rows} />;
  if (first.kind === "piece") return <OnePiece piece={first} />;
  if (first.kind === "path") return <OnePath path={first} />;
  if (first.kind === "course") return <OneCourse course={first} />;
  return <OneStanding thing={first as Placement | LineArray} />;
}

function useUses(piece: string): number {
  return useLevel((s) => shown(s).summary?.uses.find((u) => u.piece === piece)?.items ?? 0);
}

function PieceFacts({ piece, items, factors }: { piece: Piece; items?: number; factors?: Vector }) {
  const size = piece.facts.high
    .map((v, k) => ((v - (piece.facts.low[k] ?? 0)) * Math.abs(factors?.[k] ?? 1)).toFixed(2))
    .join(" × ");
  return (
    <Facts>
      <dt>Measures</dt>
      <dd>{size} m</dd>
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
          <dt>Off by</dt>
          <dd>{(piece.slim.rms * 1000).toFixed(2)} mm RMS</dd>
          <dt>At most</dt>
          <dd>{(piece.slim.largest * 1000).toFixed(2)} mm</dd>
        </>
      )}
    </Facts>
  );
}

function OnePiece({ piece }: { piece: Piece }) {
  const uses = useUses(piece.id);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{piece.name}</h2>
        <span>piece · {uses === 1 ? "1 use" : `${uses} uses`}</span>
      </header>
      <div>
        <PieceFacts piece={piece} />
        <Pivot piece={piece} />
        {(piece.tags ?? []).length > 0 && <Quiet>{piece.tags.map((t) => `#${t}`).join(" ")}</Quiet>}
        <UsedBy piece={piece} />
        <Dimensions key={piece.id} piece={piece} row={piece.id} />
        <ExportPiece piece={piece} />
      </div>
    </Card>
  );
}

function Pivot({ piece }: { piece: Piece }) {
  const [x = 0, y = 0, z = 0] = piece.pivot ?? [];
  const turned = degrees(piece.axes);
  return (
    <Facts>
      <dt>Pivot</dt>
      <dd>{[x, y, z].map((v) => v.toFixed(2).replace("-", "−")).join(", ")} m</dd>
      {turned.some((v) => v !== 0) && (
        <>
          <dt>Its axes</dt>
          <dd>{turned.map((v) => v.toFixed(1).replace("-", "−")).join(", ")}°</dd>
        </>
      )}
    </Facts>
  );
}

function OneStanding({ thing }: { thing: Placement | LineArray }) {
  const piece = useLevel((s) => shown(s).pieces.get(thing.piece));
  const items = useLevel((s) => shown(s).items.get(thing.id)?.length ?? 1);
  const step = useLevel((s) => s.scene.level?.step ?? 0.5);
  const uses = useUses(thing.piece);
  const set = (part: object) => void takeStep("set_pose", part as Record<string, unknown>, [thing.id]);
  const size = (thing.size ?? [1, 1, 1]) as Vector;
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{thing.name}</h2>
        {uses > 1 && (
          <Linked title={`${uses} items show the piece ${piece?.name}`}>
            <Link2 size={14} aria-hidden /> {uses} linked
          </Linked>
        )}
      </header>
      <div>
        <VectorField
          label="Position"
          aside="world axes, m"
          digits={2}
          value={(thing.position ?? [0, 0, 0]) as Vector}
          step={step}
          onCommit={(position) => set({ position })}
        />
        <VectorField
          label="Turn"
          aside="degrees"
          digits={2}
          value={degrees(thing.turn)}
          step={15}
          onCommit={(turn) => set({ turn })}
        />
        <VectorField label="Size" aside="factors" value={size} step={0.1} onCommit={(s) => set({ size: s })} />
        {size.some((v) => v !== 1) && (
          <Unclean>
            <TriangleAlert size={14} aria-hidden />
            <span>Not clean: {size.map((v) => Number(v.toFixed(3))).join(" × ")}</span>
            <Button
              onPress={() =>
                uses > 1 ? openCard("bake_size") : void takeStep("bake_size", { result: "same piece" }, [thing.id])
              }
            >
              Bake size
            </Button>
          </Unclean>
        )}
        {piece && <PieceFacts piece={piece} items={items} factors={size} />}
        {piece && <Dimensions key={piece.id} piece={piece} row={thing.id} />}
        <MarkButtons things={[thing]} />
      </div>
    </Card>
  );
}

function OnePath({ path }: { path: Path }) {
  const view = useLevel((s) => shown(s).paths.get(path.id));
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{path.name}</h2>
        <span>path</span>
      </header>
      <div>
        <Facts>
          <dt>Length</dt>
          <dd>{view?.length.toFixed(2)} m</dd>
          <dt>Smallest radius</dt>
          <dd>{view?.smallest_radius == null ? "straight" : `${view.smallest_radius.toFixed(2)} m`}</dd>
          <dt>Points</dt>
          <dd>{path.points.length}</dd>
        </Facts>
        <Quiet>Drag its points in the view; courses follow.</Quiet>
        <MarkButtons things={[path]} />
      </div>
    </Card>
  );
}

function OneCourse({ course }: { course: Course }) {
  const piece = useLevel((s) => shown(s).pieces.get(course.piece));
  const path = useLevel((s) => shown(s).things.get(course.path));
  const items = useLevel((s) => shown(s).items.get(course.id)?.length ?? 0);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{course.name}</h2>
        <Linked>
          <Link2 size={14} aria-hidden /> {items} {items === 1 ? "item" : "items"}
        </Linked>
      </header>
      <div>
        <Facts>
          <dt>Piece</dt>
          <dd>{piece?.name}</dd>
          <dt>Along</dt>
          <dd>{path?.name}</dd>
        </Facts>
        {piece && <PieceFacts piece={piece} items={items} />}
        <MarkButtons things={[course]} />
      </div>
    </Card>
  );
}

function Several({ rows }: { rows: (Piece | Thing)[] }) {
  const scene = useLevel(shown);
  const triangles = rows.reduce((sum, row) => {
    if (row.kind === "piece") return sum + row.facts.triangles;
    if (row.kind === "path") return sum;
    const count = row.kind === "placement" ? 1 : (scene.items.get(row.id)?.length ?? 0);
    return sum + count * (scene.pieces.get((row as Placement).piece)?.facts.triangles ?? 0);
  }, 0);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{rows.length} selected</h2>
      </header>
      <div>
        <Facts>
          <dt>Triangles</dt>
          <dd>{grouped(triangles)}</dd>
        </Facts>
        <MarkButtons things={rows.filter((r): r is Thing => r.kind !== "piece")} />
      </div>
    </Card>
  );
}
