import type { Delta, LevelSummary, LevelView, Params, ProblemBody, ToolInfo } from "./types";

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

async function call<T>(path: string, init?: RequestInit): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error;
    throw new Problem({
      code: "offline",
      status: 0,
      detail: "The server does not answer. Nothing was changed; start Able Brick again and go on.",
      data: {},
    });
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
  return response.json();
}

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
  levels: () => call<LevelSummary[]>("/levels"),
  createLevel: (name: string) => call<LevelSummary>("/levels", json("POST", { name })),
  level: (id: string) => call<LevelView>(`/levels/${id}`),
  tools: () => call<ToolInfo[]>("/tools"),
  step: (level: string, body: StepBody) => call<Delta>(`/levels/${level}/steps`, json("POST", body)),
  adjust: (level: string, body: Omit<StepBody, "selection">) =>
    call<Delta>(`/levels/${level}/steps/last`, json("PUT", body)),
  preview: (level: string, body: StepBody & { adjust_last?: boolean }, signal: AbortSignal) =>
    call<Delta>(`/levels/${level}/preview`, json("POST", body, signal)),
  undo: (level: string, revision: number) => call<Delta>(`/levels/${level}/undo`, json("POST", { revision })),
  redo: (level: string, revision: number) => call<Delta>(`/levels/${level}/redo`, json("POST", { revision })),
  bringIn: (level: string, revision: number, file: File, place: boolean) => {
    const form = new FormData();
    form.set("file", file);
    form.set("level", level);
    form.set("revision", String(revision));
    form.set("place", String(place));
    return call<Delta>("/kit/import", { method: "POST", body: form });
  },
};
