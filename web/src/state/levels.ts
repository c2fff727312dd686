import { api, Problem } from "../api/client";
import { askLevels } from "../api/queries";
import type { LevelSummary } from "../api/types";
import { settingsStore } from "../theme/settings";
import { tell } from "./messages";

/** What is done to levels as wholes. Each tells what was wrong and gives nothing then. */
async function done<T>(work: Promise<T>): Promise<T | null> {
  try {
    return await work;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    tell(error.message, "error");
    return null;
  } finally {
    await askLevels();
  }
}

export const makeLevel = (name: string): Promise<LevelSummary | null> =>
  done(api.createLevel(name, settingsStore.getState().budget));
export const duplicateLevel = (id: string, name: string): Promise<LevelSummary | null> =>
  done(api.duplicateLevel(id, name));
export const restoreLevel = (id: string): Promise<LevelSummary | null> => done(api.restoreLevel(id));
export const deleteLevel = async (id: string): Promise<boolean> =>
  (await done(api.deleteLevel(id).then(() => true))) === true;

/** The name of a copy, as things are named: Lock becomes Lock 2, Lock 2 becomes Lock 3. */
export function nextName(name: string, taken: readonly string[]): string {
  const found = /^(.*\S) (\d{1,9})$/.exec(name);
  const stem = found?.[1] ?? name;
  let number = Number(found?.[2] ?? 1) + 1;
  while (taken.includes(`${stem} ${number}`)) number++;
  return `${stem} ${number}`;
}
