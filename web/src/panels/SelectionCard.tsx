import { Link2, TriangleAlert, Unlink } from "lucide-react";
import styled from "styled-components";
import type { Course, Group, LineArray, Measure, Path, Piece, Placement, Thing, Vector } from "../api/types";
import { isShown, type Scene, shown, useLevel } from "../state/level";
import { openCard } from "../state/running";
import { leaveGroup, openGroup, select, useSelection } from "../state/selection";
import { takeStep } from "../state/steps";
import { insideOf, under } from "../state/tree";
import { setView, useView } from "../state/view";
import { Button, IconButton, Key, Segments } from "../ui/controls";
import { degrees } from "../ui/degrees";
import { VectorField } from "../ui/fields";
import { Labelled } from "../ui/Labelled";
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
const All = styled(Button)`&&& { color: var(--petrol); font-weight: 600; padding: 2px 4px; min-height: 22px; }`;
const GoTo = styled(Button)`&&& { min-height: 0; padding: 0; color: var(--petrol); }`;
const Pair = styled.div`
  display: flex; gap: 6px; & > * { flex: 1; justify-content: center; }
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
          <BoxTakes />
        </div>
      </Card>
    );
  }
  if (rows.length > 1) return <Several rows={rows} />;
  if (first.kind === "piece") return <OnePiece piece={first} />;
  if (first.kind === "path") return <OnePath path={first} />;
  if (first.kind === "course") return <OneCourse course={first} />;
  if (first.kind === "measure") return <OneMeasure measure={first} />;
  if (first.kind === "group") return <OneGroup group={first} />;
  return <OneStanding thing={first as Placement | LineArray} />;
}

/** What a box that is dragged round things takes. */
function BoxTakes() {
  const through = useView((v) => v.through);
  return (
    <Labelled>
      <span>A box takes</span>
      <Segments
        label="A box takes"
        value={through ? "through" : "front"}
        options={[
          { value: "through", label: "Through" },
          { value: "front", label: "Front only" },
        ]}
        onChange={(v) => setView({ through: v === "through" })}
      />
    </Labelled>
  );
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
  const uses = useUses(thing.piece);
  const scene = useLevel((s) => s.scene);
  const set = (part: object) => void takeStep("set_pose", part as Record<string, unknown>, [thing.id]);
  const size = (thing.size ?? [1, 1, 1]) as Vector;
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{thing.name}</h2>
        {uses > 1 && (
          <>
            <All
              data-plain="true"
              aria-label={`Select all that show ${piece?.name}`}
              onPress={() =>
                select([...scene.things.values()].flatMap((t) => (isShown(t) && t.piece === thing.piece ? [t.id] : [])))
              }
            >
              <Link2 size={14} aria-hidden /> {uses} linked
            </All>
            <IconButton label="Make independent" onPress={() => void takeStep("make_independent", {}, [thing.id])}>
              <Unlink size={14} aria-hidden />
            </IconButton>
          </>
        )}
      </header>
      <div>
        <StandFields label="Position" of={thing} set={set} />
        <VectorField label="Size" aside="factors" value={size} step={0.1} onCommit={(s) => set({ size: s })} />
        {size.some((v) => v !== 1) && (
          <Unclean>
            <TriangleAlert size={14} aria-hidden />
            <span>Unbaked size: {size.map((v) => Number(v.toFixed(3))).join(" × ")}</span>
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
        <Within thing={thing} />
        {piece && <Dimensions key={piece.id} piece={piece} row={thing.id} />}
        <MarkButtons things={[thing]} />
      </div>
    </Card>
  );
}

interface StandProps {
  label: string;
  of: Placement | LineArray | Group;
  set: (part: { position: Vector } | { turn: Vector }) => void;
}

/** Where something stands, and how it is turned. */
function StandFields({ label, of, set }: StandProps) {
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
function Within({ thing }: { thing: Thing }) {
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

function OneGroup({ group }: { group: Group }) {
  const scene = useLevel(shown);
  const open = useView((v) => v.inside === group.id);
  const all = under(scene.things, [group.id]);
  const set = (part: object) => void takeStep("set_pose", part as Record<string, unknown>, [group.id]);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{group.name}</h2>
        <span>group of {insideOf(scene.things, group.id).length}</span>
      </header>
      <div>
        <StandFields label="Pivot at" of={group} set={set} />
        <Facts>
          <dt>Triangles</dt>
          <dd>{grouped(trianglesOf(scene, all))}</dd>
        </Facts>
        <Within thing={group} />
        <Pair>
          <Button onPress={() => (open ? leaveGroup() : openGroup(group.id))}>
            {open ? "Leave group" : "Edit inside"} <Key>{open ? "Esc" : "Enter"}</Key>
          </Button>
          <Button onPress={() => void takeStep("group_pivot", { place: "centre" }, [group.id])}>Pivot to centre</Button>
        </Pair>
        <MarkButtons things={[group]} />
      </div>
    </Card>
  );
}

function trianglesOf(scene: Scene, rows: readonly (Piece | Thing)[]): number {
  return rows.reduce((sum, row) => {
    if (row.kind === "piece") return sum + row.facts.triangles;
    if (!isShown(row)) return sum;
    const count = row.kind === "placement" ? 1 : (scene.items.get(row.id)?.length ?? 0);
    return sum + count * (scene.pieces.get(row.piece)?.facts.triangles ?? 0);
  }, 0);
}

function OneMeasure({ measure }: { measure: Measure }) {
  const length = Math.hypot(...measure.start.map((v, k) => v - (measure.end[k] ?? 0)));
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{measure.name}</h2>
        <span>measure</span>
      </header>
      <div>
        <Facts>
          <dt>Distance</dt>
          <dd>{length.toFixed(3)} m</dd>
        </Facts>
        <MarkButtons things={[measure]} />
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
        <Within thing={path} />
        <Quiet>Drag its points in the view, or all of it by the handles; courses follow.</Quiet>
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
  const pieces = rows.filter((r): r is Piece => r.kind === "piece");
  const things = under(
    scene.things,
    rows.map((r) => r.id),
  );
  const triangles = trianglesOf(scene, [...pieces, ...things]);
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
        <BoxTakes />
        <MarkButtons things={rows.filter((r): r is Thing => r.kind !== "piece")} />
      </div>
    </Card>
  );
}
