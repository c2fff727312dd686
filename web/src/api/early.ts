/**
 * What is wanted first, asked for while the rest of the application is still being loaded: the levels, the one that
 * will be opened, and its meshes. Whoever needs one of them takes it from here.
 */

interface Rows {
  changed?: { kind: string; mesh?: string }[];
}

const waiting = new Map<string, Promise<unknown>>();

function ask<T>(path: string, read: (response: Response) => Promise<T>): Promise<T> {
  const answer = fetch(path).then((response) => {
    if (!response.ok) throw new Error(`${path}: ${response.status}`);
    return read(response);
  });
  waiting.set(path, answer);
  return answer;
}

/** Ask for it. What fails is left to whoever asks again. */
export async function askEarly(): Promise<void> {
  try {
    const levels = await ask("/api/levels", (r): Promise<{ id: string }[]> => r.json());
    const first = levels[0]?.id;
    if (!first) return;
    const level = await ask(`/api/levels/${first}`, (r): Promise<Rows> => r.json());
    const meshes = new Set((level.changed ?? []).flatMap((row) => (row.kind === "piece" && row.mesh ? row.mesh : [])));
    for (const mesh of meshes) ask(`/api/meshes/${mesh}.glb`, (r) => r.arrayBuffer()).catch(() => undefined);
  } catch {
    // the application asks again, and tells what is wrong
  }
}

/** What was asked for early, once; undefined when it was not, or could not be had. */
export async function takeEarly<T>(path: string): Promise<T | undefined> {
  const answer = waiting.get(path);
  waiting.delete(path);
  return answer?.catch(() => undefined) as Promise<T | undefined>;
}
