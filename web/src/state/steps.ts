import { api, Problem } from "../api/client";
import type { Accept, Delta, Params } from "../api/types";
import { takeElements } from "./elements";
import { applyDelta, levelStore, loadLevel, refusePreview, showPreview } from "./level";
import { type Message, tell } from "./messages";
import { select, selectionStore } from "./selection";
import { sourceOf } from "./source";

/** Load the open level anew. One that was left meanwhile is not opened again, and an answer that newer changes have
 * overtaken on its way is left. */
export async function reload(): Promise<void> {
  const { levelId, revision } = levelStore.getState();
  if (!levelId) return;
  const view = await api.level(levelId);
  const now = levelStore.getState();
  const overtaken = now.revision > revision && view.revision < now.revision;
  if (now.levelId === levelId && !overtaken) loadLevel(view);
}

/** The revision at which a change was sent whose reply was lost; null when nothing is unknown. */
let unknownAt: number | null = null;

/** Say what became of a change whose reply was lost, as far as the level tells; once the server answers again. */
export async function lookWhatStands(): Promise<void> {
  const revision = unknownAt;
  if (revision === null) return;
  try {
    await reload();
  } catch {
    return; // still no answer: the socket asks again when it is there
  }
  if (unknownAt !== revision) return;
  unknownAt = null;
  levelStore.setState({ online: true });
  const now = levelStore.getState().revision;
  tell(now === revision ? "It was not done; try again." : "What stands is loaded: the level has moved on by a step.");
}

const resting: (() => void)[] = [];

/** Do something when no own change is on its way. */
export function whenAtRest(work: () => void): void {
  if (levelStore.getState().busy > 0) resting.push(work);
  else work();
}

/** What is done about a fault of a piece for which a step was refused, in a word. */
const REMEDIES: Readonly<Record<string, string>> = {
  border: "Close it",
  inside_out: "Turn it",
  against: "Mend it",
  crowded: "Mend it",
};

/** Mend the piece for which a step was refused, and take the step then. */
function remedyOf({ data }: Problem, again: () => Promise<unknown>): Message["action"] {
  const { levelId, scene } = levelStore.getState();
  const piece = scene.pieces.get(String(data.piece));
  const word = REMEDIES[String(data.mend)];
  if (!piece || !word) return undefined;
  const elements = { mesh: sourceOf(piece), kind: "face", ids: [] };
  const act = async () => {
    // what was refused is of that level
    if (levelStore.getState().levelId !== levelId) return tell("Another level is open now; go back to it first.");
    const mended = await takeStep("mend", { faults: [data.mend], elements }, [piece.id]);
    if (!(mended instanceof Problem)) await again();
  };
  return { word, act: () => void act() };
}

let queue: Promise<unknown> = Promise.resolve();

/** Run one change after the other, so that each sees the revision that the one before made. */
function inTurn(work: (level: string, revision: number) => Promise<Delta>, quiet = false): Promise<Delta | Problem> {
  const result = queue.then(async () => {
    const { levelId } = levelStore.getState();
    if (!levelId) return new Problem({ code: "none", status: 0, detail: "No level is open.", data: {} });
    levelStore.setState((s) => ({ busy: s.busy + 1 }));
    const asked = levelStore.getState().revision;
    try {
      const chosen = selectionStore.getState().ids.join();
      const delta = await work(levelId, asked);
      // what has been selected while the step was on its way stays selected
      const still = selectionStore.getState().ids.join() === chosen;
      if (delta.idle) {
        showPreview(null);
        tell(delta.note);
      } else if (!applyDelta(delta)) await reload();
      if (delta.select && still) select(delta.select);
      if (still) takeElements(delta.elements, delta.ended);
      levelStore.setState({ online: true });
      return delta;
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      showPreview(null);
      if (error.code === "offline" || error.code === "unknown") levelStore.setState({ online: false });
      if (!quiet || error.fields.length === 0)
        tell(
          error.message,
          "error",
          remedyOf(error, () => inTurn(work, quiet)),
        );
      if (error.code === "stale_revision") await reload();
      if (error.code === "unknown") {
        unknownAt = asked;
        await lookWhatStands();
      }
      return error;
    } finally {
      levelStore.setState((s) => ({ busy: s.busy - 1 }));
      if (levelStore.getState().busy === 0) for (const work of resting.splice(0)) work();
    }
  });
  queue = result.catch(() => undefined);
  return result;
}

/** Take a step. Errors are told; `quiet` leaves those of single fields to the card that shows them. */
export const takeStep = (tool: string, params: Params, selection: readonly string[], quiet = false) =>
  inTurn((level, revision) => api.step(level, { tool, params, selection: [...selection], revision }), quiet);

export const adjustLast = (tool: string, params: Params) =>
  inTurn((level, revision) => api.adjust(level, { tool, params, revision }), true);

export const undo = () => inTurn((level, revision) => api.undo(level, revision));
export const redo = () => inTurn((level, revision) => api.redo(level, revision));

/** Put what has arrived onto the shelf. */
export const acceptImport = (id: string, how: Omit<Accept, "level" | "revision">) =>
  inTurn((level, revision) => api.accept(id, { ...how, level, revision }));

interface Wanted {
  tool: string;
  params: Params;
  selection: readonly string[];
  adjust: boolean;
  /** Whether a card says why it does not go. */
  tells?: boolean;
}

/** What the mesh itself does not allow; what is still to be chosen is no news while one chooses. */
const REFUSED = ["geometry", "unsound"];

let wanted: Wanted | null = null;
let asking: AbortController | null = null;

/** Show what a step would change. The latest wish wins; null ends the preview. */
export function previewStep(wish: Wanted | null): void {
  wanted = wish;
  if (wish === null) {
    asking?.abort();
    asking = null;
    showPreview(null);
  } else if (asking === null) void ask();
}

async function ask(): Promise<void> {
  while (wanted !== null) {
    const wish = wanted;
    wanted = null;
    const { levelId, revision } = levelStore.getState();
    if (!levelId) return;
    const mine = new AbortController();
    asking = mine;
    try {
      const { tool, params, selection, adjust } = wish;
      const body = { tool, params, selection: [...selection], revision, adjust_last: adjust };
      const delta = await api.preview(levelId, body, mine.signal);
      if (!mine.signal.aborted && levelStore.getState().revision === revision) showPreview(delta);
    } catch (error) {
      // else a preview that cannot be shown is no news: the step itself will tell
      const refused = error instanceof Problem && REFUSED.includes(error.code) && error.fields.length === 0;
      if (refused && wish.tells && !mine.signal.aborted) refusePreview(error.message);
    }
    if (asking !== mine) return;
  }
  asking = null;
}
