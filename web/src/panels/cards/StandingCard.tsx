import { Link2, TriangleAlert, Unlink } from "lucide-react";
import styled from "styled-components";
import type { ArrayRow, Placement, Vector } from "../../api/types";
import { isShown, itemCount, shown, useLevel } from "../../state/level";
import { openCard } from "../../state/running";
import { select } from "../../state/selection";
import { takeStep } from "../../state/steps";
import { useView } from "../../state/view";
import { Button, IconButton } from "../../ui/controls";
import { VectorField } from "../../ui/fields";
import { Dimensions } from "../Dimensions";
import { MarkButtons } from "../MarkButtons";
import { Card } from "../parts";
import { costOf, PieceFacts, StandFields, useUses, Within } from "./parts";

const Unclean = styled.div`
  display: flex; align-items: center; gap: 6px; color: var(--ochre);
  & span { flex: 1; }
`;
const All = styled(
  IconButton,
)`&&& { color: var(--petrol); font-weight: 600; padding: 2px 3px; min-height: 1.375rem; gap: 3px; }`;

/** A placement or an array. */
export function StandingCard({ row: thing }: { row: Placement | ArrayRow }) {
  const piece = useLevel((s) => shown(s).pieces.get(thing.piece));
  const items = useLevel((s) => itemCount(shown(s), thing.id) || 1);
  const uses = useUses(thing.piece);
  const scene = useLevel((s) => s.scene);
  // where triangles are looked at, places are not changed
  const slimming = useView((v) => v.stage === "slim");
  const set = (part: object) => void takeStep("set_pose", part as Record<string, unknown>, [thing.id]);
  const size = (thing.size ?? [1, 1, 1]) as Vector;
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{thing.name}</h2>
        {uses > 1 && (
          <>
            <All
              label={`${uses} linked: select all that show ${piece?.name}`}
              onPress={() =>
                select([...scene.things.values()].flatMap((t) => (isShown(t) && t.piece === thing.piece ? [t.id] : [])))
              }
            >
              <Link2 size={14} aria-hidden /> {uses}
            </All>
            <IconButton label="Make independent" onPress={() => void takeStep("make_independent", {}, [thing.id])}>
              <Unlink size={14} aria-hidden />
            </IconButton>
          </>
        )}
        <MarkButtons things={[thing]} />
      </header>
      <div>
        {!slimming && (
          <>
            <StandFields label="Position" of={thing} set={set} />
            <VectorField label="Size" hint="factors" value={size} step={0.1} onCommit={(s) => set({ size: s })} />
          </>
        )}
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
        {piece && <PieceFacts piece={piece} items={items} factors={size} all={costOf(scene, [thing])} />}
        <Within thing={thing} />
        {piece && <Dimensions key={piece.id} piece={piece} row={thing.id} />}
      </div>
    </Card>
  );
}
