import type { Piece, Thing } from "../api/types";
import { shown, useLevel } from "../state/level";
import { useSelection } from "../state/selection";
import { under } from "../state/tree";
import { setView, useView } from "../state/view";
import { Segments } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { grouped } from "../ui/words";
import { cardOf } from "./cards";
import { costOf, Facts } from "./cards/parts";
import { MarkButtons } from "./MarkButtons";
import { Card, Quiet } from "./parts";

/** What is selected, and its exact numbers. */
export function SelectionCard() {
  const ids = useSelection((s) => s.ids);
  const scene = useLevel(shown);
  const before = useLevel((s) => s.scene);
  const slimming = useView((v) => v.stage === "slim");
  // a preview may show something else in the place of what is selected, which is still that
  const rows = ids.flatMap((id) => [scene, before].flatMap((s) => s.pieces.get(id) ?? s.things.get(id) ?? [])[0] ?? []);
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
  // in Slim the ladder says what it is; what slimming has cost, and the way back to its dimensions, stand here
  const piece = first.kind === "piece" ? first : "piece" in first ? scene.pieces.get(first.piece) : undefined;
  const frozen = piece?.dimensions != null && piece.dimensions.mesh !== piece.mesh;
  if (slimming && piece && !frozen && !piece.slim) return null;
  const One = cardOf(first);
  return <One row={first} />;
}

/** What a box that is dragged round things takes. */
export function BoxTakes() {
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

function Several({ rows }: { rows: (Piece | Thing)[] }) {
  const scene = useLevel(shown);
  const pieces = rows.filter((r): r is Piece => r.kind === "piece");
  const things = under(
    scene.things,
    rows.map((r) => r.id),
  );
  const { triangles } = costOf(scene, [...pieces, ...things]);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{rows.length} selected</h2>
        <MarkButtons things={rows.filter((r): r is Thing => r.kind !== "piece")} />
      </header>
      <div>
        <Facts>
          <dt>Triangles</dt>
          <dd>{grouped(triangles)}</dd>
        </Facts>
        <BoxTakes />
      </div>
    </Card>
  );
}
