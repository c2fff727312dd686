import createClient from "openapi-fetch";
import { ACCEPT, COLUMNS, readColumns } from "./columns";
import { takeEarly } from "./early";
import { goesAlong, HERE, openingIn, sent as sentHere, within } from "./here";
import type { paths } from "./schema.generated";
import type {
  Accept,
  Backups,
  Batch,
  Check,
  Delta,
  Elements,
  ElementsRequest,
  Ends,
  ExportHow,
  FaceAt,
  Facets,
  Feature,
  FeatureRequest,
  Fits,
  FitsRequest,
  Ground,
  ImportView,
  Job,
  LevelSummary,
  LevelView,
  Measured,
  MeasureRequest,
  NewBatch,
  Params,
  ProblemBody,
  ProjectView,
  RecentProject,
  Recipe,
  Rules,
  ShapeInfo,
  Sized,
  Snap,
  SnapRequest,
  Step,
  ToolInfo,
  Vector,
} from "./types";

/** What the server refused, in its own words. */
export class Problem extends Error {
  readonly code: string;
  readonly status: number;
  readonly data: ProblemBody["data"];
  readonly fields: { field: string; text: string }[];

  constructor(body: Pick<ProblemBody, "code" | "status" | "detail" | "data">) {
    super(body.detail);
    this.code = body.code;
    this.status = body.status;
    this.data = body.data;
    const fields = body.data.fields;
    this.fields = Array.isArray(fields) ? fields : [];
  }
}

/** What is told when nothing comes back: of what only asks, and of what changes something. */
const SILENT = {
  offline: "The server does not answer. Nothing was changed; start Able Brick again and go on.",
  unknown: "No reply came back, so it is unknown whether that was done. Loading what stands …",
};
type Silent = keyof typeof SILENT;

const silence = (code: Silent): Problem => new Problem({ code, status: 0, detail: SILENT[code], data: {} });
const stopped = (error: unknown): boolean => error instanceof DOMException && error.name === "AbortError";

/** Ask, where it has not been asked for early. */
const asked = (request: Request): Promise<Response> =>
  sentHere(request, async (whole) => {
    const early = whole.method === "GET" ? await takeEarly(new URL(whole.url).pathname) : undefined;
    return early ?? fetch(whole);
  });

const client = createClient<paths>({ baseUrl: globalThis.location?.origin ?? "http://localhost", fetch: asked });

interface Answer {
  data?: unknown;
  error?: unknown;
  response: Response;
}

/** What comes; silence is a Problem where nothing does, or not all of it. */
async function heard<T>(waiting: Promise<T>, silent: Silent): Promise<T> {
  try {
    return await waiting;
  } catch (error) {
    if (stopped(error)) throw error;
    throw silence(silent);
  }
}

/** What was answered; a Problem for what was refused, and for silence. The client loses how long lists are: what comes
 * is named anew. */
async function answered<T>(waiting: Promise<Answer>, silent: Silent = "offline"): Promise<T> {
  const { response, error, data } = await heard(waiting, silent);
  if (response.ok) return data as T;
  const isProblem = response.headers.get("content-type")?.includes("problem+json");
  if (isProblem) throw new Problem(error as ProblemBody);
  throw unexplained(response.status);
}

const unexplained = (status: number): Problem =>
  new Problem({ code: "http", status, detail: `The server answered ${status}.`, data: {} });

/** A change: when its reply is lost, it may have been done all the same. */
const changed = <T>(waiting: Promise<Answer>): Promise<T> => answered<T>(waiting, "unknown");

/** How changes and levels are asked for: what is large may come in columns. */
const LARGE = { headers: { Accept: ACCEPT }, parseAs: "stream" } as const;

/** A change or a level, in whichever form it comes. */
async function delta<T extends Delta = Delta>(waiting: Promise<Answer>, silent: Silent = "unknown"): Promise<T> {
  const answer = heard(waiting, silent);
  await answered(answer, silent);
  const { response } = await answer;
  if (!response.headers.get("content-type")?.includes(COLUMNS)) return heard(response.json() as Promise<T>, silent);
  return readColumns(await heard(response.arrayBuffer(), silent)) as T;
}

/** What becomes of what is being worked on when another project is opened. */
export type Running = "wait" | "stop";

export interface StepBody {
  tool: string;
  params: Params;
  selection: string[];
  revision: number;
}

const project = HERE;
const inside = { params: { path: { project } } };
const at = (level: string) => ({ path: { project, level } });
const of = (key: string) => ({ path: { project, key } });

export const api = {
  rules: () => answered<Rules>(client.GET("/api/rules")),
  tools: () => answered<ToolInfo[]>(client.GET("/api/tools")),
  shapes: () => answered<ShapeInfo[]>(client.GET("/api/shapes")),

  project: () => answered<ProjectView>(client.GET("/api/project")),
  recent: () => answered<RecentProject[]>(client.GET("/api/project/recent")),
  openProject: (path: string, running?: Running) =>
    changed<ProjectView>(client.POST("/api/project/open", { body: { path, ...(running && { running }) } })),
  openFile: (path: string, running?: Running) =>
    changed<ProjectView>(client.POST("/api/project/file", { body: { path, new: false, ...(running && { running }) } })),
  newFile: (path: string, budget: number | null, running?: Running) =>
    changed<ProjectView>(
      client.POST("/api/project/file", { body: { path, new: true, budget, ...(running && { running }) } }),
    ),
  /** Keep a project file of this person's under a path of the server, and open it. */
  openCopy: (file: File, path: string, running?: Running) => {
    const form = new FormData();
    form.append("file", file);
    form.append("path", path);
    if (running) form.append("running", running);
    return changed<ProjectView>(
      client.POST("/api/project/upload", { body: { file: "", path }, bodySerializer: () => form }),
    );
  },
  openDemo: (running?: Running) =>
    changed<ProjectView>(client.POST("/api/project/demo", { body: { ...(running && { running }) } })),

  backups: () => answered<Backups>(client.GET("/api/projects/{project}/backups", inside)),
  bringBack: (name: string) =>
    changed<{ path: string }>(
      client.POST("/api/projects/{project}/backups/{name}", { params: { path: { project, name } } }),
    ),

  levels: () => answered<LevelSummary[]>(client.GET("/api/projects/{project}/levels", inside)),
  level: (id: string) =>
    delta<LevelView>(client.GET("/api/projects/{project}/levels/{level}", { params: at(id), ...LARGE }), "offline"),
  createLevel: (name: string, budget: number | null) =>
    changed<LevelSummary>(client.POST("/api/projects/{project}/levels", { ...inside, body: { name, budget } })),
  duplicateLevel: (id: string, name: string) =>
    changed<LevelSummary>(
      client.POST("/api/projects/{project}/levels/{level}/duplicate", { params: at(id), body: { name } }),
    ),
  deleteLevel: (id: string) =>
    changed<void>(client.DELETE("/api/projects/{project}/levels/{level}", { params: at(id) })),
  restoreLevel: (id: string) =>
    changed<LevelSummary>(client.POST("/api/projects/{project}/levels/{level}/restore", { params: at(id) })),

  step: (level: string, body: StepBody) =>
    delta(client.POST("/api/projects/{project}/levels/{level}/steps", { params: at(level), body, ...LARGE })),
  adjust: (level: string, body: Omit<StepBody, "selection">) =>
    delta(client.PUT("/api/projects/{project}/levels/{level}/steps/last", { params: at(level), body, ...LARGE })),
  preview: (level: string, body: StepBody & { adjust_last: boolean }, signal: AbortSignal) =>
    delta(
      client.POST("/api/projects/{project}/levels/{level}/preview", { params: at(level), body, signal, ...LARGE }),
      "offline",
    ),
  undo: (level: string, revision: number) =>
    delta(
      client.POST("/api/projects/{project}/levels/{level}/undo", { params: at(level), body: { revision }, ...LARGE }),
    ),
  redo: (level: string, revision: number) =>
    delta(
      client.POST("/api/projects/{project}/levels/{level}/redo", { params: at(level), body: { revision }, ...LARGE }),
    ),

  surface: (level: string, body: FaceAt) =>
    answered<Ground>(client.POST("/api/projects/{project}/levels/{level}/surface", { params: at(level), body })),
  feature: (level: string, body: FeatureRequest) =>
    answered<Feature>(client.POST("/api/projects/{project}/levels/{level}/feature", { params: at(level), body })),
  seams: (level: string, piece: string) =>
    answered<Vector[]>(
      client.GET("/api/projects/{project}/levels/{level}/seams/{piece}", {
        params: { path: { project, level, piece } },
      }),
    ),
  sizes: (level: string, piece: string) =>
    answered<Sized>(
      client.GET("/api/projects/{project}/levels/{level}/sizes/{piece}", {
        params: { path: { project, level, piece } },
      }),
    ),
  elements: (level: string, body: ElementsRequest) =>
    answered<Elements>(client.POST("/api/projects/{project}/levels/{level}/elements", { params: at(level), body })),
  facets: (level: string, piece: string) =>
    answered<Facets>(
      client.GET("/api/projects/{project}/levels/{level}/facets/{piece}", {
        params: { path: { project, level, piece } },
      }),
    ),
  earlier: (level: string, piece: string) =>
    answered<Step[]>(
      client.GET("/api/projects/{project}/levels/{level}/earlier/{piece}", {
        params: { path: { project, level, piece } },
      }),
    ),
  check: (level: string, piece: string) =>
    answered<Check>(
      client.GET("/api/projects/{project}/levels/{level}/check/{piece}", {
        params: { path: { project, level, piece } },
      }),
    ),
  ends: (level: string, thing: string) =>
    answered<Ends>(
      client.GET("/api/projects/{project}/levels/{level}/ends/{thing}", {
        params: { path: { project, level, thing } },
      }),
    ),
  snap: (level: string, body: SnapRequest) =>
    answered<Snap | null>(client.POST("/api/projects/{project}/levels/{level}/snap", { params: at(level), body })),
  measure: (level: string, body: MeasureRequest) =>
    answered<Measured>(client.POST("/api/projects/{project}/levels/{level}/measure", { params: at(level), body })),
  fits: (level: string, body: FitsRequest) =>
    answered<Fits>(client.POST("/api/projects/{project}/levels/{level}/fits", { params: at(level), body })),

  startWork: (level: string, body: StepBody, adjust_last = false) =>
    changed<Job>(
      client.POST("/api/projects/{project}/levels/{level}/work", { params: at(level), body: { ...body, adjust_last } }),
    ),
  startExport: (level: string, how: ExportHow) =>
    changed<Job>(
      client.POST("/api/projects/{project}/levels/{level}/export", { params: { ...at(level), query: how } }),
    ),
  startAccept: (key: string, body: Accept) =>
    changed<Job>(client.POST("/api/projects/{project}/imports/{key}/work", { params: of(key), body })),
  work: () => answered<Job[]>(client.GET("/api/projects/{project}/work", inside)),
  workOn: (key: string, seen: number) =>
    answered<Job>(client.GET("/api/projects/{project}/work/{key}", { params: { ...of(key), query: { seen } } })),
  stopWork: (key: string) => changed<Job>(client.DELETE("/api/projects/{project}/work/{key}", { params: of(key) })),
  startBatch: (body: NewBatch) => changed<Batch>(client.POST("/api/projects/{project}/batches", { ...inside, body })),
  batches: () => answered<Batch[]>(client.GET("/api/projects/{project}/batches", inside)),
  batchOn: (key: string, seen: number) =>
    answered<Batch>(client.GET("/api/projects/{project}/batches/{key}", { params: { ...of(key), query: { seen } } })),
  stopBatch: (key: string) =>
    changed<Batch>(client.DELETE("/api/projects/{project}/batches/{key}", { params: of(key) })),
  recipes: () => answered<Recipe[]>(client.GET("/api/projects/{project}/recipes", inside)),
  keepRecipe: ({ shipped: _, ...recipe }: Recipe) =>
    changed<void>(
      client.PUT("/api/projects/{project}/recipes/{name}", {
        params: { path: { project, name: recipe.name } },
        body: recipe,
      }),
    ),
  dropRecipe: (name: string) =>
    changed<void>(client.DELETE("/api/projects/{project}/recipes/{name}", { params: { path: { project, name } } })),

  readOn: (key: string, seen: number) =>
    answered<ImportView>(
      client.GET("/api/projects/{project}/imports/{key}", { params: { ...of(key), query: { seen } } }),
    ),
  readAgain: (key: string, weld: boolean) =>
    answered<ImportView>(client.PUT("/api/projects/{project}/imports/{key}", { params: of(key), body: { weld } })),
  discard: (key: string) => answered<void>(client.DELETE("/api/projects/{project}/imports/{key}", { params: of(key) })),
  accept: (key: string, body: Accept) =>
    delta(client.POST("/api/projects/{project}/imports/{key}/accept", { params: of(key), body, ...LARGE })),
};

/** Keep the picture of a piece; it is drawn again where that fails. */
export async function keepThumbnail(key: string, picture: Blob): Promise<void> {
  await fetch(within(`thumbnails/${key}`), { method: "PUT", body: picture }).catch(() => undefined);
}

/** Send files to be read; `sent` hears the share that has gone out. Ends early when the signal says so. */
export const sendFiles = (files: readonly File[], sent: (share: number) => void, signal: AbortSignal) =>
  posted<ImportView>("imports", files, {}, sent, signal, "offline");

/** Send files to be slimmed, likewise. */
export const sendBatch = (
  files: readonly File[],
  how: Omit<NewBatch, "source">,
  sent: (share: number) => void,
  signal: AbortSignal,
) => posted<Batch>("batches/files", files, { how: JSON.stringify(how) }, sent, signal, "unknown");

function posted<T>(
  path: string,
  files: readonly File[],
  more: Record<string, string>,
  sent: (share: number) => void,
  signal: AbortSignal,
  silent: Silent,
): Promise<T> {
  const form = new FormData();
  for (const [name, value] of Object.entries(more)) form.append(name, value);
  for (const file of files) form.append("files", file, file.webkitRelativePath || file.name);
  // only this way tells how far the sending is
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", within(path));
    request.responseType = "json";
    request.upload.onprogress = (event) => event.lengthComputable && sent(event.loaded / event.total);
    request.onload = () => {
      if (request.status === 202) resolve(request.response as T);
      else {
        const body = request.response as ProblemBody | null;
        const other = body?.code === "other_project" ? openingIn(body.data) : null;
        // whoever sent it may send it again where the page goes along
        if (other) goesAlong(other);
        reject(body ? new Problem(body) : unexplained(request.status));
      }
    };
    request.onerror = () => reject(silence(silent));
    request.onabort = () => reject(new DOMException("The sending was stopped.", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(form);
  });
}
