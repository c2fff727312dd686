import { createStore, useStore } from "zustand";
import { api, arrive, Problem } from "../api/client";
import type { Accept, ArrivalView } from "../api/types";
import { tell } from "./messages";
import { acceptArrival } from "./steps";

/** A file on its way in: what is being sent, then what the server says of it. */
export interface ArrivalState {
  file: string | null;
  sent: number;
  view: ArrivalView | null;
  place: boolean;
  busy: boolean;
}

const nothing: ArrivalState = { file: null, sent: 0, view: null, place: false, busy: false };
export const arrivalStore = createStore<ArrivalState>(() => nothing);
export const useArrival = <T>(choose: (state: ArrivalState) => T): T => useStore(arrivalStore, choose);
let sending: AbortController | null = null;

const failed = (error: unknown): void => {
  arrivalStore.setState(nothing);
  if (error instanceof Problem) tell(error.message, "error");
  else if (!(error instanceof DOMException && error.name === "AbortError")) throw error;
};

/** Bring in a model with the files that belong to it; its sheet is shown before anything changes. */
export async function bringIn(files: readonly File[], place: boolean): Promise<void> {
  const [first] = files;
  if (!first) return;
  await discard();
  const model = files.find((f) => /\.(glb|gltf|obj|ply|stl)$/i.test(f.name)) ?? first;
  const mine = new AbortController();
  sending = mine;
  arrivalStore.setState({ ...nothing, file: model.name, place });
  try {
    const view = await arrive(files, (sent) => arrivalStore.setState({ sent }), mine.signal);
    if (mine.signal.aborted) void api.discard(view.id);
    else await follow(view);
  } catch (error) {
    failed(error);
  }
}

/** Hear of the reading until it has ended. */
async function follow(view: ArrivalView): Promise<void> {
  let now = view;
  arrivalStore.setState({ view: now, sent: 1 });
  while (now.state === "reading") {
    now = await api.arrival(now.id, now.share);
    if (arrivalStore.getState().view?.id !== now.id) return;
    arrivalStore.setState({ view: now });
  }
}

/** Read it again, with or without welding. */
export async function readAgain(weld: boolean): Promise<void> {
  const { view } = arrivalStore.getState();
  if (!view) return;
  try {
    await follow(await api.readAgain(view.id, weld));
  } catch (error) {
    failed(error);
  }
}

export async function accept(how: Omit<Accept, "level" | "revision">): Promise<void> {
  const { view } = arrivalStore.getState();
  if (!view) return;
  arrivalStore.setState({ busy: true });
  const result = await acceptArrival(view.id, how);
  arrivalStore.setState(result instanceof Problem && result.code !== "unknown_id" ? { busy: false } : nothing);
}

/** Stop, and forget what was read. */
export async function discard(): Promise<void> {
  sending?.abort();
  sending = null;
  const { view } = arrivalStore.getState();
  arrivalStore.setState(nothing);
  if (view) await api.discard(view.id).catch(() => undefined);
}
