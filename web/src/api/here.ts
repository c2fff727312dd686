/**
 * The project that this page belongs to. Every address of it names the opening that is meant, so that nothing that is
 * meant for it can come to another project that the server has open by then.
 */

/** An opening of a project: its key, and the file. */
export interface Opening {
  key: string;
  name: string;
  path: string;
}

const PROJECTS = "/api/projects/";
/** What stands for the project in addresses until they are sent. */
export const HERE = "here";
let mine: Opening | null = null;
let asking: Promise<Opening> | null = null;
let onOtherOpened: (other: Opening) => void = () => undefined;

/** Which project the page belongs to: the one that is open when it first asks. */
export function here(): Promise<Opening> {
  if (mine) return Promise.resolve(mine);
  asking ??= fetch("/api/project")
    .then(async (reply) => {
      if (!reply.ok) throw new Error(`/api/project: ${reply.status}`);
      mine = (await reply.json()) as Opening;
      return mine;
    })
    .finally(() => {
      asking = null;
    });
  return asking;
}

/** The same where it has been asked for; null before. */
export const hereNow = (): Opening | null => mine;

/** An address within the project, which has been asked for. */
export const within = (path: string): string => `${PROJECTS}${mine?.key ?? HERE}/${path}`;

/** Have somebody hear when another project is open. */
export function onOther(hear: (other: Opening) => void): void {
  onOtherOpened = hear;
}

/** Another opening is open than the page's own. True where it is one of the very same file, as when the server was
 * started again: then the page goes along with it; else whoever listens is told. */
export function goesAlong(other: Opening): boolean {
  if (!mine) return false;
  const same = mine.key.split(".")[0] === other.key.split(".")[0] && mine.path === other.path;
  if (same) mine = { ...other };
  else onOtherOpened(other);
  return same;
}

/** What a refusal or a message says of the opening that is open; null where it says nothing of that kind. */
export function openingIn(data: unknown): Opening | null {
  const { open, name, path } = (data ?? {}) as Record<string, unknown>;
  if (typeof open !== "string" || typeof name !== "string" || typeof path !== "string") return null;
  return { key: open, name, path };
}

/** Makes a request anew, with the key of the project in its address. Its body is read first: what is a stream cannot be
 * sent twice, nor over every connection. */
async function addressing(request: Request): Promise<() => Promise<Request>> {
  const { method, headers, signal, url } = request;
  const body = method === "GET" || method === "HEAD" ? null : await request.blob();
  return async () => {
    const inside = url.includes(`${PROJECTS}${HERE}/`);
    const whole = inside ? url.replace(`${PROJECTS}${HERE}/`, `${PROJECTS}${(await here()).key}/`) : url;
    return new Request(whole, { method, headers, signal, ...(body !== null && { body }) });
  };
}

/** The opening that a reply says is open instead; null for any other reply. */
async function otherOf(reply: Response): Promise<Opening | null> {
  if (reply.status !== 409 || !reply.headers.get("content-type")?.includes("problem+json")) return null;
  const problem: { code?: string; data?: unknown } = await reply.clone().json();
  return problem.code === "other_project" ? openingIn(problem.data) : null;
}

/** Send a request within the project. What was refused because the server was started again is sent once more: of it
 * nothing was done. */
export async function sent(request: Request, send: (request: Request) => Promise<Response>): Promise<Response> {
  const made = await addressing(request);
  const reply = await send(await made());
  const other = await otherOf(reply);
  return other && goesAlong(other) ? send(await made()) : reply;
}
