import { takeEarly } from "./early";
import type {
  Accept,
  ArrivalView,
  Delta,
  Feature,
  FeatureRequest,
  Fits,
  FitsRequest,
  Ground,
  LevelSummary,
  LevelView,
  Measured,
  MeasureRequest,
  Params,
  ProblemBody,
  ProjectView,
  ShapeInfo,
  Snap,
  SnapRequest,
  ToolInfo,
} from "./types";

/** What the server refused, in its own words. */
export class Problem extends Error {
  readonly code: string;
  readonly status: number;
  readonly fields: { field: string; text: string }[];

  constructor(body: Pick<ProblemBody, "code" | "status" | "detail" | "data">) {
    super(body.detail);
    this.code = body.code;
    this.status = body.status;
    const fields = body.data.fields;
    this.fields = Array.isArray(fields) ? fields : [];
  }
}

/** What is told when nothing comes back: of what only asks, and of what changes something. */
const SILENT = {
  offline: "The server does not answer. Nothing was changed; start Able Brick again and go on.",
  unknown: "No reply came back, so it is unknown whether that was done. Loading what stands …",
};

async function call<T>(path: string, init?: RequestInit, silent: keyof typeof SILENT = "offline"): Promise<T> {
  const early = init ? undefined : await takeEarly<T>(`/api${path}`);
  if (early !== undefined) return early;
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Problem({ code: silent, status: 0, detail: SILENT[silent], data: {} });
  }
  if (!response.ok) {
    const type = response.headers.get("content-type") ?? "";
    if (type.includes("problem+json")) throw new Problem(await response.json());
    throw new Problem({
      code: "http",
      status: response.status,
      detail: `The server answered ${response.status}.`,
      data: {},
    });
  }
  if (response.status === 204) return undefined as T;
  try {
    return await response.json();
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Problem({ code: silent, status: 0, detail: SILENT[silent], data: {} });
  }
}

/** A change: when its reply is lost, it may have been done all the same. */
const change = <T>(path: string, method: string, body: unknown): Promise<T> =>
  call<T>(path, json(method, body), "unknown");

const json = (method: string, body: unknown, signal?: AbortSignal): RequestInit => ({
  method,
  headers: { "Content-Type": "application/json" },
  body: JSON.stringify(body),
  signal: signal ?? null,
});

export interface StepBody {
  tool: string;
  params: Params;
  selection: string[];
  revision: number;
}

export const api = {
  project: () => call<ProjectView>("/project"),
  levels: () => call<LevelSummary[]>("/levels"),
  createLevel: (name: string) => change<LevelSummary>("/levels", "POST", { name }),
  level: (id: string) => call<LevelView>(`/levels/${id}`),
  tools: () => call<ToolInfo[]>("/tools"),
  step: (level: string, body: StepBody) => change<Delta>(`/levels/${level}/steps`, "POST", body),
  adjust: (level: string, body: Omit<StepBody, "selection">) =>
    change<Delta>(`/levels/${level}/steps/last`, "PUT", body),
  preview: (level: string, body: StepBody & { adjust_last?: boolean }, signal: AbortSignal) =>
    call<Delta>(`/levels/${level}/preview`, json("POST", body, signal)),
  undo: (level: string, revision: number) => change<Delta>(`/levels/${level}/undo`, "POST", { revision }),
  redo: (level: string, revision: number) => change<Delta>(`/levels/${level}/redo`, "POST", { revision }),
  shapes: () => call<ShapeInfo[]>("/shapes"),
  surface: (level: string, at: FaceAt) => call<Ground>(`/levels/${level}/surface`, json("POST", at)),
  feature: (level: string, at: FeatureRequest) => call<Feature>(`/levels/${level}/feature`, json("POST", at)),
  snap: (level: string, wish: SnapRequest) => call<Snap | null>(`/levels/${level}/snap`, json("POST", wish)),
  measure: (level: string, wish: MeasureRequest) => call<Measured>(`/levels/${level}/measure`, json("POST", wish)),
  fits: (level: string, wish: FitsRequest) => call<Fits>(`/levels/${level}/fits`, json("POST", wish)),
  arrival: (id: string, seen: number) => call<ArrivalView>(`/arrivals/${id}?seen=${seen}`),
  readAgain: (id: string, weld: boolean) => call<ArrivalView>(`/arrivals/${id}`, json("PUT", { weld })),
  discard: (id: string) => call<void>(`/arrivals/${id}`, { method: "DELETE" }),
  accept: (id: string, how: Accept) => change<Delta>(`/arrivals/${id}/accept`, "POST", how),
  keepThumbnail: (key: string, picture: Blob) => call<void>(`/thumbnails/${key}`, { method: "PUT", body: picture }),
};

export interface FaceAt {
  thing: string;
  item: number;
  face: number;
}

/** Send files to be read; `sent` hears the share that has gone out. Ends early when the signal says so. */
export function arrive(
  files: readonly File[],
  sent: (share: number) => void,
  signal: AbortSignal,
): Promise<ArrivalView> {
  const form = new FormData();
  for (const file of files) form.append("files", file);
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", "/api/arrivals");
    request.responseType = "json";
    request.upload.onprogress = (event) => event.lengthComputable && sent(event.loaded / event.total);
    request.onload = () => {
      if (request.status === 202) resolve(request.response as ArrivalView);
      else {
        const body = request.response as ProblemBody | null;
        const detail = `The server answered ${request.status}.`;
        reject(new Problem(body ?? { code: "http", status: request.status, detail, data: {} }));
      }
    };
    request.onerror = () =>
      reject(
        new Problem({
          code: "offline",
          status: 0,
          detail: SILENT.offline,
          data: {},
        }),
      );
    request.onabort = () => reject(new DOMException("The sending was stopped.", "AbortError"));
    signal.addEventListener("abort", () => request.abort());
    request.send(form);
  });
}
