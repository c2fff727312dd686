import { createStore, useStore } from "zustand";
import { api, Problem } from "../api/client";
import { within } from "../api/here";
import type { Accept, ExportHow, Job, Params } from "../api/types";
import { levelStore } from "./level";
import { tell } from "./messages";
import { forgetOwn, isOwn, makeOwn } from "./ownWork";
import { reload } from "./steps";

/** Long work of this page that has not ended, by its id. */
export const workStore = createStore<{ jobs: ReadonlyMap<string, Job> }>(() => ({ jobs: new Map() }));
export const useWork = (): ReadonlyMap<string, Job> => useStore(workStore, (s) => s.jobs);

const put = (job: Job): void => workStore.setState(({ jobs }) => ({ jobs: new Map(jobs).set(job.id, job) }));

function drop(id: string): void {
  workStore.setState(({ jobs }) => {
    const left = new Map(jobs);
    left.delete(id);
    return { jobs: left };
  });
}

const ended = ({ state }: Job): boolean => state === "done" || state === "failed" || state === "stopped";

/** Begin a step that takes long; what it comes to is told when it ends. A Problem where it was not begun. */
export const startWork = (tool: string, params: Params, selection: readonly string[]): Promise<Job | Problem> =>
  begun((level, revision) => api.startWork(level, { tool, params, selection: [...selection], revision }));

let adjusting: Job | null = null;

/** Begin to make the last step, which takes long, again with other settings; one that is still at that is cancelled. */
export async function startAdjust(tool: string, params: Params): Promise<Job | Problem> {
  if (adjusting && workStore.getState().jobs.has(adjusting.id)) await stopWork(adjusting.id);
  const job = await begun((level, revision) => api.startWork(level, { tool, params, selection: [], revision }, true));
  adjusting = job instanceof Problem ? null : job;
  return job;
}

/** Begin to write the level to a file, which is saved when that is done. */
export const startExport = (how: ExportHow): Promise<Job | Problem> => begun((level) => api.startExport(level, how));

/** Begin to take in what was read from a file of very much. */
export const startAccept = (key: string, how: Omit<Accept, "level" | "revision">): Promise<Job | Problem> =>
  begun((level, revision) => api.startAccept(key, { ...how, level, revision }));

async function begun(start: (level: string, revision: number) => Promise<Job>): Promise<Job | Problem> {
  const { levelId, revision } = levelStore.getState();
  if (!levelId) return new Problem({ code: "none", status: 0, detail: "No level is open.", data: {} });
  try {
    const job = await start(levelId, revision);
    makeOwn(job.id);
    put(job);
    void follow(job);
    return job;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    // whose reply was lost, it may have begun all the same
    if (error.code === "unknown") void followWork(true);
    if (error.fields.length === 0) tell(error.message, "error");
    return error;
  }
}

/** Have a step that takes long tell what it would come to, and do nothing: its words, line by line. Null where it was
 * cancelled, or could not tell, which is said. `begun` hears of the job. */
export async function planWork(tool: string, params: Params, begun: (job: string) => void): Promise<string[] | null> {
  const { levelId, revision } = levelStore.getState();
  if (!levelId) return null;
  try {
    const job = await api.startWork(levelId, { tool, params, selection: [], revision });
    put(job);
    begun(job.id);
    const end = await ending(job);
    if (end?.state === "failed") tell(end.reason, "error");
    return end?.state === "done" ? end.note.split("\n") : null;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    if (error.fields.length === 0) tell(error.message, "error");
    return null;
  }
}

/** A job that has ended; null where it is not known any more, which is told. */
async function ending(job: Job): Promise<Job | null> {
  let now = job;
  while (!ended(now)) {
    try {
      now = await api.workOn(now.id, now.share);
    } catch (error) {
      drop(job.id);
      if (error instanceof Problem) tell(error.message, "error");
      return null;
    }
    if (!ended(now)) put(now);
  }
  drop(now.id);
  return now;
}

/** Hear of a job until it has ended, and say what came of it. */
async function follow(job: Job): Promise<void> {
  const now = await ending(job);
  const mine = isOwn(job.id);
  forgetOwn(job.id);
  if (!now) return;
  const { levelId, revision } = levelStore.getState();
  if (now.state === "done" && now.level === levelId && now.revision > revision) await reload().catch(() => undefined);
  if (now.has_file && now.state === "done" && mine) window.location.assign(within(`work/${now.id}/file`));
  if (now.state === "done") tell(now.note || `${now.title}: done.`);
  if (now.state === "failed") tell(now.reason, "error");
  if (now.state === "stopped") tell(`${now.title}: cancelled; nothing of it was kept.`);
}

export async function stopWork(id: string): Promise<void> {
  await api.stopWork(id).catch(() => undefined);
}

/** Follow what was begun before the page was opened; what is not followed yet is this tab's own where it is `mine`. */
export async function followWork(mine = false): Promise<void> {
  const every = await api.work().catch(() => []);
  for (const job of every) {
    if (ended(job) || workStore.getState().jobs.has(job.id)) continue;
    if (mine) makeOwn(job.id);
    put(job);
    void follow(job);
  }
}
