import { createStore, useStore } from "zustand";
import { api, Problem, sendFiles } from "../api/client";
import { rulesNow } from "../api/queries";
import type { Accept, ImportView } from "../api/types";
import { tell } from "./messages";
import { acceptImport } from "./steps";
import { startAccept } from "./work";

/** A file on its way in: what is being sent, then what the server says of it. */
export interface ImportState {
  file: string | null;
  sent: number;
  view: ImportView | null;
  place: boolean;
  busy: boolean;
}

/** Places and parts of a file beyond which it is taken in beside other work. */
const MUCH = 4000;
const nothing: ImportState = { file: null, sent: 0, view: null, place: false, busy: false };
export const importStore = createStore<ImportState>(() => nothing);
export const useImport = <T>(choose: (state: ImportState) => T): T => useStore(importStore, choose);
let sending: AbortController | null = null;

/** Those of the files that are models, and not what belongs to one. */
export const models = (files: readonly File[]): File[] =>
  files.filter((f) => (rulesNow()?.models ?? []).some((end) => f.name.toLowerCase().endsWith(end)));

const failed = (error: unknown): void => {
  importStore.setState(nothing);
  if (error instanceof Problem) tell(error.message, "error");
  else if (!(error instanceof DOMException && error.name === "AbortError")) throw error;
};

/** Bring in a model with the files that belong to it; its sheet is shown before anything changes. */
export async function bringIn(files: readonly File[], place: boolean): Promise<void> {
  const [first] = files;
  if (!first) return;
  await discard();
  const model = models(files)[0] ?? first;
  const mine = new AbortController();
  sending = mine;
  importStore.setState({ ...nothing, file: model.name, place });
  try {
    const view = await sendFiles(files, (sent) => importStore.setState({ sent }), mine.signal);
    if (mine.signal.aborted) void api.discard(view.id);
    else await follow(view);
  } catch (error) {
    failed(error);
  }
}

/** Hear of the reading until it has ended. */
async function follow(view: ImportView): Promise<void> {
  let now = view;
  importStore.setState({ view: now, sent: 1 });
  while (now.state === "reading") {
    now = await api.readOn(now.id, now.share);
    if (importStore.getState().view?.id !== now.id) return;
    importStore.setState({ view: now });
  }
}

/** Read it again, with or without welding. */
export async function readAgain(weld: boolean): Promise<void> {
  const { view } = importStore.getState();
  if (!view) return;
  try {
    await follow(await api.readAgain(view.id, weld));
  } catch (error) {
    failed(error);
  }
}

export async function accept(how: Omit<Accept, "level" | "revision">): Promise<void> {
  const { view } = importStore.getState();
  if (!view) return;
  importStore.setState({ busy: true });
  const { sheet } = view;
  const much = sheet ? sheet.places + sheet.parts.length + sheet.more_parts : 0;
  // rungs that others made are measured, which takes its time
  const measured = sheet !== null && sheet.rungs > 0 && !sheet.level;
  const result = await (much > MUCH || measured ? startAccept : acceptImport)(view.id, how);
  importStore.setState(result instanceof Problem && result.code !== "unknown_id" ? { busy: false } : nothing);
}

/** Stop, and forget what was read. */
export async function discard(): Promise<void> {
  sending?.abort();
  sending = null;
  const { view } = importStore.getState();
  importStore.setState(nothing);
  if (view) await api.discard(view.id).catch(() => undefined);
}
