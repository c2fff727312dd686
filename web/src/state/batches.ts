import { createStore, useStore } from "zustand";
import { api, Problem, sendBatch } from "../api/client";
import type { Batch, NewBatch } from "../api/types";
import { tell } from "./messages";

/** The batch that was begun last, and files that were chosen for the next; while they are sent, how far that is. */
interface BatchState {
  now: Batch | null;
  files: readonly File[];
  sent: number | null;
}

export const batchStore = createStore<BatchState>(() => ({ now: null, files: [], sent: null }));
export const useBatch = <T>(choose: (state: BatchState) => T): T => useStore(batchStore, choose);
let sending: AbortController | null = null;

/** Choose files to be slimmed instead of a folder; none for the folder again. */
export const chooseFiles = (files: readonly File[]): void => batchStore.setState({ files });

/** Begin to slim a folder; a Problem where it was not begun. */
export async function startBatch(wish: NewBatch): Promise<Problem | null> {
  try {
    void follow(await api.startBatch(wish));
    return null;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    return refused(error, () => void startBatch({ ...wish, replace: true }));
  }
}

/** Say why nothing was begun; where files would be replaced that are there, that can be asked for. */
function refused(error: Problem, replace: () => void): Problem {
  // whose reply was lost, it may have begun all the same
  if (error.code === "unknown") void followBatches();
  tell(error.message, "error", error.data.field === "replace" ? { word: "Replace them", act: replace } : undefined);
  return error;
}

/** Send the chosen files and begin to slim them. */
export async function startFiles(wish: Omit<NewBatch, "source">): Promise<void> {
  const mine = new AbortController();
  sending = mine;
  batchStore.setState({ sent: 0 });
  try {
    const batch = await sendBatch(
      batchStore.getState().files,
      wish,
      (sent) => batchStore.setState({ sent }),
      mine.signal,
    );
    batchStore.setState({ files: [] });
    void follow(batch);
  } catch (error) {
    if (error instanceof Problem) refused(error, () => void startFiles({ ...wish, replace: true }));
    else if (!mine.signal.aborted) throw error;
  } finally {
    sending = null;
    batchStore.setState({ sent: null });
  }
}

export const stopSending = (): void => sending?.abort();

/** Hear of a batch until it has ended. */
async function follow(batch: Batch): Promise<void> {
  let now = batch;
  batchStore.setState({ now });
  while (now.state === "working") {
    try {
      now = await api.batchOn(now.id, now.done + now.failed);
    } catch (error) {
      batchStore.setState({ now: null });
      if (error instanceof Problem) tell(error.message, "error");
      return;
    }
    batchStore.setState({ now });
  }
  if (now.state === "failed") tell(now.reason, "error");
}

export async function stopBatch(id: string): Promise<void> {
  await api.stopBatch(id).catch(() => undefined);
}

/** Follow one that was begun before the page was opened. */
export async function followBatches(): Promise<void> {
  const last = (await api.batches().catch(() => [])).at(-1);
  const { now } = batchStore.getState();
  if (last && (now === null || (now.state !== "working" && now.id !== last.id))) void follow(last);
}
