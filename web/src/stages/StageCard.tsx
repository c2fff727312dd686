import { type ComponentType, lazy, Suspense } from "react";
import { ShapeBoard } from "../panels/DrawCard";
import type { Stage } from "../state/view";
import { useView } from "../state/view";

const PARTS = {
  shape: () => import("./ShapeStage"),
  slim: () => import("./SlimStage"),
  ship: () => import("./ShipStage"),
};

/** What each stage offers beside its tools, loaded when it is first opened; Build has nothing of its own. */
const STAGES: Partial<Record<Stage, ComponentType>> = {
  kit: ShapeBoard,
  shape: lazy(PARTS.shape),
  slim: lazy(PARTS.slim),
  ship: lazy(PARTS.ship),
};

/** Have the stages there before they are opened, in case the server is gone by then. */
export function loadStages(): void {
  requestIdleCallback(() => void Promise.allSettled(Object.values(PARTS).map((load) => load())));
}

export function StageCard() {
  const Now = STAGES[useView((v) => v.stage)];
  return Now ? (
    <Suspense>
      <Now />
    </Suspense>
  ) : null;
}
