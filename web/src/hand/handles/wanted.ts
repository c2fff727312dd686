import { useRunning } from "../../state/running";
import { useView } from "../../state/view";
import { useCardInView } from "../../viewport/cards";
import { modeOf } from "../modes/modes";

/** Whether there is room for the handles: in the stages where things are moved, unless something else runs. */
export function useHandlesWanted(): boolean {
  const stage = useView((v) => v.stage);
  const given = useRunning((s) => s.now === null || modeOf(s.now)?.handles === true);
  const card = useCardInView();
  return given && card?.handles !== false && (stage === "build" || stage === "kit" || stage === "shape");
}
