import { Card, Quiet } from "../panels/parts";
import { useLevel } from "../state/level";
import { openCard, useRunning } from "../state/running";
import { useSelection } from "../state/selection";
import { Button } from "../ui/controls";
import { BatchCard } from "./BatchCard";
import { LadderCard } from "./LadderCard";

/** What Slim offers: the ladder of what is selected, or where to begin. */
export default function SlimStage() {
  const busy = useRunning((s) => s.card !== null);
  // the card of a tool is in the place of what else could be begun
  if (busy) return <LadderCard />;
  return (
    <>
      <LadderCard />
      <SlimHint />
      <BatchCard />
    </>
  );
}

function SlimHint() {
  const nothing = useSelection((s) => s.ids.length === 0);
  const uses = useLevel((s) => s.scene.summary?.uses);
  const pieces = useLevel((s) => s.scene.pieces);
  const [heaviest] = uses ?? [];
  const piece = heaviest && pieces.get(heaviest.piece);
  if (!nothing || !heaviest || !piece) return null;
  const share = Math.round((100 * heaviest.triangles) / Math.max(1, uses?.reduce((n, u) => n + u.triangles, 0) ?? 1));
  return (
    <Card aria-label="Where the triangles are">
      <header>
        <h2>Where the triangles are</h2>
      </header>
      <div>
        <Quiet>
          {piece.name} takes {share} % of the level's triangles. Select a piece or a placement, then make a ladder of it
          or slim it.
        </Quiet>
        <Button data-main="true" onPress={() => openCard("slim_level")}>
          Slim for this level
        </Button>
      </div>
    </Card>
  );
}
