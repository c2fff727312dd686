import { settingsStore } from "../../theme/settings";
import { viewport } from "../../viewport/controller";
import { shiftView, turnView } from "../../viewport/looking";
import type { Press, Spot } from "../modes/mode";

/** A press that turns the view about what is under it, or shifts it. */
export function lookPress(kind: "turn" | "shift", from: Spot): Press {
  const about = kind === "turn" ? (viewport.pick(from.x, from.y)?.point ?? null) : null;
  const way = settingsStore.getState().follows === "level" ? 1 : -1;
  let last = from;
  return {
    move(at) {
      if (kind === "turn") turnView(way * (at.x - last.x), way * (at.y - last.y), about);
      else shiftView(at.x - last.x, at.y - last.y);
      last = at;
    },
    release: () => undefined,
  };
}
