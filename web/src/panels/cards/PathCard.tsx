import type { Path } from "../../api/types";
import { shown, useLevel } from "../../state/level";
import { MarkButtons } from "../MarkButtons";
import { Card, Quiet } from "../parts";
import { Facts, Within } from "./parts";

/** A path. */
export function PathCard({ row: path }: { row: Path }) {
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
