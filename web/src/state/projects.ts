import { createStore, useStore } from "zustand";
import { api, Problem, type Running } from "../api/client";
import { rememberLevel } from "../api/early";
import { hereNow, type Opening, onOther } from "../api/here";
import { queries } from "../api/queries";
import { tell } from "./messages";

/** How another project is opened, and what becomes of what is being worked on. */
type Open = (running?: Running) => Promise<unknown>;

/** What is still being worked on when another project was to be opened; `waiting` while the page waits for it. */
export interface Leaving {
  running: readonly string[];
  waiting: boolean;
  open: Open;
}

interface ProjectState {
  /** The project that is open instead of the page's own. */
  other: Opening | null;
  leaving: Leaving | null;
  /** A project file that was dropped onto the page, until it is copied or left. */
  dropped: File | null;
}

export const projectStore = createStore<ProjectState>(() => ({ other: null, leaving: null, dropped: null }));
export const useOther = (): Opening | null => useStore(projectStore, (s) => s.other);
export const useLeaving = (): Leaving | null => useStore(projectStore, (s) => s.leaving);

export const useDropped = (): File | null => useStore(projectStore, (s) => s.dropped);
export const dropProject = (dropped: File | null): void => projectStore.setState({ dropped });
export const isProjectFile = (file: File): boolean => /\.db$/i.test(file.name);

onOther((other) => projectStore.setState({ other }));

/** The page begins anew with the project that is open. */
export function goAlong(): void {
  rememberLevel("");
  queries.clear();
  location.reload();
}

const asMessage = (error: Problem): void => tell(error.message, "error");

/** Open another project: the page begins anew with it. Where something is being worked on, it is asked what becomes of
 * that. False where nothing came of it; why it was refused is told in a message, unless somebody else tells it. */
export async function openProject(open: Open, refused: (error: Problem) => void = asMessage): Promise<boolean> {
  try {
    await open();
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    if (error.code !== "work_running") {
      refused(error);
      return false;
    }
    const { running } = error.data;
    projectStore.setState({
      leaving: { running: Array.isArray(running) ? running.map(String) : [], waiting: false, open },
    });
    return false;
  }
  goAlong();
  return true;
}

/** Open the page's own project again, in the place of the one that is open. */
export const openOwn = (): Promise<boolean> => {
  const own = hereNow();
  return own ? openProject((running) => api.openProject(own.path, running)) : Promise.resolve(false);
};

/** Open a backup, as a project of its own in a new file beside this one, which stays as it is. */
export async function bringBack(name: string): Promise<boolean> {
  try {
    const { path } = await api.bringBack(name);
    return await openProject((running) => api.openProject(path, running));
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    tell(error.message, "error");
    return false;
  }
}

/** Stay with the project that is open. */
export const stay = (): void => projectStore.setState({ leaving: null });

/** Open it all the same: what is being worked on is stopped, or waited for as long as it takes. */
export async function leave(running: Running): Promise<void> {
  const { leaving } = projectStore.getState();
  if (!leaving) return;
  projectStore.setState({ leaving: { ...leaving, waiting: true } });
  const wanted = () => projectStore.getState().leaving?.open === leaving.open;
  while (wanted()) {
    try {
      await leaving.open(running);
      goAlong();
      return;
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      if (error.code === "work_running") continue; // one request waits for a while only
      stay();
      tell(error.message, "error");
      return;
    }
  }
}
