/**
 * What is wanted first, asked for while the rest of the application is still being loaded: the levels, the one that
 * will be opened, and its meshes. Whoever needs one of them takes its answer from here.
 */

import { keep, kept } from "../theme/kept";
import { ACCEPT, COLUMNS, readHead } from "./columns";
import { here, within } from "./here";

interface Rows {
  changed?: { kind: string; mesh?: string }[];
}

/** The rows of a level that are no placements, and perhaps those: as much as is needed to know its meshes. */
async function rowsOf(response: Response): Promise<Rows> {
  const copy = response.clone();
  const inColumns = response.headers.get("content-type")?.includes(COLUMNS);
  return inColumns ? readHead(await copy.arrayBuffer()).head : copy.json();
}

const waiting = new Map<string, Promise<Response>>();
/** What has been wanted already: asked for early after that, it would be an old answer to whoever wants it next. */
const wanted = new Set<string>();

function ask(path: string, headers: HeadersInit = {}): Promise<Response> {
  const answer = fetch(path, { headers }).then((response) => {
    if (!response.ok) throw new Error(`${path}: ${response.status}`);
    return response;
  });
  waiting.set(path, answer);
  answer.catch(() => undefined);
  return answer;
}

/** The name of the level that this browser had open last, kept for the next time. */
const LAST = "level";

/** The level that is opened first: the one that was open last, or else the first one. */
export function firstLevel<T extends { id: string; deleted?: boolean }>(levels: readonly T[]): T | undefined {
  const there = levels.filter((level) => !level.deleted);
  return there.find((level) => level.id === kept(LAST)) ?? there[0];
}

export const rememberLevel = (id: string): void => void keep(LAST, id);

/** Ask for it. What fails is left to whoever asks again. */
export async function askEarly(): Promise<void> {
  try {
    await here();
    const levels: { id: string }[] = await (await ask(within("levels"))).clone().json();
    const first = firstLevel(levels)?.id;
    if (!first) return;
    const path = within(`levels/${first}`);
    if (wanted.has(path)) return;
    const level = await rowsOf(await ask(path, { Accept: ACCEPT }));
    const meshes = new Set((level.changed ?? []).flatMap((row) => (row.kind === "piece" && row.mesh ? row.mesh : [])));
    for (const mesh of meshes) {
      const glb = within(`meshes/${mesh}.glb`);
      if (!wanted.has(glb)) ask(glb);
    }
  } catch {
    // the application asks again, and tells what is wrong
  }
}

/** The answer that was asked for early, once; undefined when it was not, or could not be had. */
export async function takeEarly(path: string): Promise<Response | undefined> {
  wanted.add(path);
  const answer = waiting.get(path);
  waiting.delete(path);
  return answer?.catch(() => undefined);
}
