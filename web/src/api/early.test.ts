import { beforeEach, describe, expect, it, vi } from "vitest";

const KEY = "0123456789ab.0123456789ab";
const LEVEL = `/api/projects/${KEY}/levels/level-1`;
const LEVELS = `/api/projects/${KEY}/levels`;

const json = (value: unknown) =>
  new Response(JSON.stringify(value), { headers: { "content-type": "application/json" } });

/** A server: what it was asked for, in that order. */
function serving(meshes: string[]): string[] {
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (path: string) => {
    asked.push(path);
    if (path === "/api/project") return json({ key: KEY });
    if (path === LEVELS) return json([{ id: "level-1" }]);
    return json({ changed: meshes.map((mesh) => ({ kind: "piece", mesh })) });
  });
  return asked;
}

describe("what is asked for early", () => {
  beforeEach(() => {
    vi.resetModules();
    vi.unstubAllGlobals();
  });

  it("is given once to whoever wants it first", async () => {
    const asked = serving(["aa"]);
    const { askEarly, takeEarly } = await import("./early");
    await askEarly();
    expect(asked).toEqual(["/api/project", LEVELS, LEVEL, `/api/projects/${KEY}/meshes/aa.glb`]);
    expect(await takeEarly(LEVEL)).toBeDefined();
    expect(await takeEarly(LEVEL)).toBeUndefined();
  });

  it("is not asked for where it was wanted before: who asks again later is not given an old answer", async () => {
    const asked = serving([]);
    const { askEarly, takeEarly } = await import("./early");
    expect(await takeEarly(LEVEL)).toBeUndefined();
    await askEarly();
    expect(asked).not.toContain(LEVEL);
    expect(await takeEarly(LEVEL)).toBeUndefined();
  });
});
