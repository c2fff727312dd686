import styled from "styled-components";
import type { Group } from "../../api/types";
import { shown, useLevel } from "../../state/level";
import { leaveGroup, openGroup } from "../../state/selection";
import { takeStep } from "../../state/steps";
import { insideOf, under } from "../../state/tree";
import { useView } from "../../state/view";
import { Button, Key } from "../../ui/controls";
import { grouped } from "../../ui/words";
import { MarkButtons } from "../MarkButtons";
import { Card } from "../parts";
import { costOf, Facts, StandFields, Within } from "./parts";

const Pair = styled.div`
  display: flex; gap: 6px; & > * { flex: 1; justify-content: center; }
`;

/** A group. */
export function GroupCard({ row: group }: { row: Group }) {
  const scene = useLevel(shown);
  const open = useView((v) => v.inside === group.id);
  const all = under(scene.things, [group.id]);
  const set = (part: object) => void takeStep("set_pose", part as Record<string, unknown>, [group.id]);
  return (
    <Card aria-label="Selection">
      <header>
        <h2>{group.name}</h2>
        <span>group of {insideOf(scene.things, group.id).length}</span>
        <MarkButtons things={[group]} />
      </header>
      <div>
        <StandFields label="Pivot at" of={group} set={set} />
        <Facts>
          <dt>Triangles</dt>
          <dd>{grouped(costOf(scene, all).triangles)}</dd>
        </Facts>
        <Within thing={group} />
        <Pair>
          <Button onPress={() => (open ? leaveGroup() : openGroup(group.id))}>
            {open ? "Leave group" : "Edit inside"} <Key>{open ? "Esc" : "Enter"}</Key>
          </Button>
          <Button onPress={() => void takeStep("group_pivot", { place: "centre" }, [group.id])}>Pivot to centre</Button>
        </Pair>
      </div>
    </Card>
  );
}
