import { createStore, useStore } from "zustand";
import { api, Problem } from "../api/client";
import type { Batch, NewBatch } from "../api/types";
import { tell } from "./messages";

/** The batch that was begun last; null where there is none. */
export const batchStore = createStore<{ now: Batch | null }>(() => ({ now: null }));
export const useBatch = (): Batch | null => useStore(batchStore, (s) => s.now);

/** Begin to slim a folder; a Problem where it was not begun. */
export async function startBatch(wish: NewBatch): Promise<Problem | null> {
  try {
    void follow(await api.startBatch(wish));
    return null;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    // whose reply was lost, it may have begun all the same
    if (error.code === "unknown") void followBatches();
    tell(error.message, "error");
    return error;
  }
}

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
  if (last && batchStore.getState().now === null) void follow(last);
}
