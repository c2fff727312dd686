import styled from "styled-components";
import { Card, Quiet } from "../panels/parts";
import { BoxTakes } from "../panels/SelectionCard";
import { openPiece, pickFaces, takeInMore, useElements } from "../state/elements";
import { useLevel } from "../state/level";
import { useSelection } from "../state/selection";
import { takeStep } from "../state/steps";
import { Button, Key } from "../ui/controls";
import { grouped } from "../ui/words";

const Grid = styled.div`
  display: grid; grid-template-columns: 1fr 1fr; gap: 4px;
  & button { justify-content: flex-start; min-height: 26px; }
`;
const MORE = [
  { how: "grow", word: "Grow", key: "+" },
  { how: "shrink", word: "Shrink", key: "Back" },
  { how: "same plane", word: "Same plane", key: "" },
  { how: "connected", word: "Connected", key: "" },
  { how: "same way", word: "Same way", key: "" },
  { how: "same material", word: "Same material", key: "" },
  { how: "invert", word: "Invert", key: "" },
  { how: "all", word: "All", key: "" },
] as const;

/** The piece that is open, what is picked of it, and what else belongs to that. */
export function ShapeCard() {
  const ids = useSelection((s) => s.ids);
  const pieces = useLevel((s) => s.scene.pieces);
  const uses = useLevel((s) => s.scene.summary?.uses);
  const { faces, mesh } = useElements((s) => s);
  const open = openPiece();
  const piece = open && pieces.get(open.id);
  if (!piece) {
    return (
      <Card aria-label="Shape">
        <header>
          <h2>Shape</h2>
        </header>
        <div>
          <Quiet>Select one placement, or a piece of the shelf, to open it. Click its faces then to pick them.</Quiet>
        </div>
      </Card>
    );
  }
  const count = mesh === piece.mesh ? faces.size : 0;
  const often = uses?.find((u) => u.piece === piece.id)?.items ?? 0;
  return (
    <Card aria-label="Shape">
      <header>
        <h2>{piece.name} is open</h2>
        <span>{often === 1 ? "stands once" : `stands ${grouped(often)} times`}</span>
      </header>
      <div>
        <Quiet>
          {count === 0
            ? `Click a face · ${grouped(piece.facts.faces)} faces`
            : `${grouped(count)} of ${grouped(piece.facts.faces)} faces · Shift adds, Alt takes away`}
        </Quiet>
        <Grid role="group" aria-label="Take in more">
          {MORE.map(({ how, word, key }) => (
            <Button key={how} isDisabled={count === 0 && how !== "all"} onPress={() => void takeInMore(how)}>
              {word} {key && <Key>{key}</Key>}
            </Button>
          ))}
        </Grid>
        <BoxTakes />
        {count > 0 && <Button onPress={() => pickFaces([])}>Let go</Button>}
        {often > 1 && (
          <>
            <Quiet>All {grouped(often)} follow what is changed here.</Quiet>
            {ids[0] !== piece.id && (
              <Button onPress={() => void takeStep("make_independent", {}, ids)}>Make independent</Button>
            )}
          </>
        )}
      </div>
    </Card>
  );
}
