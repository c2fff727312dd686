import { type ComponentType, lazy, Suspense } from "react";
import { ShapeBoard } from "../panels/DrawCard";
import type { Stage } from "../state/view";
import { useView } from "../state/view";

/** What each stage offers beside its tools, loaded when it is first opened; Build has nothing of its own. */
const STAGES: Partial<Record<Stage, ComponentType>> = {
  kit: ShapeBoard,
  shape: lazy(() => import("./ShapeStage")),
  slim: lazy(() => import("./SlimStage")),
  ship: lazy(() => import("./ShipStage")),
};

export function StageCard() {
  const Now = STAGES[useView((v) => v.stage)];
  return Now ? (
    <Suspense>
      <Now />
    </Suspense>
  ) : null;
}
