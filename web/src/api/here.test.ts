import { beforeEach, expect, test, vi } from "vitest";

const first = { key: "aaaaaaaaaaaa.111111111111", name: "lock.db", path: "/work/lock.db" };
const restarted = { ...first, key: "aaaaaaaaaaaa.222222222222" };
const foreign = { key: "bbbbbbbbbbbb.333333333333", name: "quay.db", path: "/work/quay.db" };
const fetched = vi.fn<typeof fetch>();
let it: typeof import("./here");

beforeEach(async () => {
  vi.resetModules();
  vi.stubGlobal("fetch", fetched);
  fetched.mockReset().mockImplementation(async () => Response.json(first));
  it = await import("./here");
});

const refusal = (open: typeof first) =>
  new Response(JSON.stringify({ code: "other_project", data: { open: open.key, name: open.name, path: open.path } }), {
    status: 409,
    headers: { "content-type": "application/problem+json" },
  });
const request = () =>
  new Request("http://127.0.0.1/api/projects/here/levels/level-1/steps", { method: "POST", body: '{"revision":4}' });

test("requests carry the project that the page was opened with, which is asked for once", async () => {
  const send = vi.fn(async (r: Request) => new Response(r.url));
  const replies = await Promise.all([it.sent(request(), send), it.sent(request(), send)]);
  expect(await replies[0]?.text()).toBe(`http://127.0.0.1/api/projects/${first.key}/levels/level-1/steps`);
  expect(fetched).toHaveBeenCalledTimes(1);
  expect(it.within("copy")).toBe(`/api/projects/${first.key}/copy`);
});

test("a page goes along with its own project where the server was started again, and sends once more", async () => {
  const told = vi.fn();
  it.onOther(told);
  const bodies: string[] = [];
  const send = vi.fn(async (r: Request) => {
    bodies.push(await r.text());
    return r.url.includes(restarted.key) ? new Response("done") : refusal(restarted);
  });
  expect(await (await it.sent(request(), send)).text()).toBe("done");
  expect(bodies).toEqual(['{"revision":4}', '{"revision":4}']);
  expect(told).not.toHaveBeenCalled();
  expect(it.hereNow()).toEqual(restarted);
});

test("another project, and a copy of the file elsewhere, are told and never written to", async () => {
  const told = vi.fn();
  it.onOther(told);
  for (const other of [foreign, { ...restarted, path: "/work/copy of lock.db" }]) {
    const send = vi.fn(async () => refusal(other));
    expect((await it.sent(request(), send)).status).toBe(409);
    expect(send).toHaveBeenCalledTimes(1);
    expect(told).toHaveBeenLastCalledWith(other);
  }
  expect(it.hereNow()).toEqual(first);
});

test("other refusals are handed on as they are", async () => {
  const body = JSON.stringify({ code: "stale_revision", data: {} });
  const stale = () => new Response(body, { status: 409, headers: { "content-type": "application/problem+json" } });
  const reply = await it.sent(request(), async () => stale());
  expect(await reply.json()).toEqual({ code: "stale_revision", data: {} });
});

test("where the server does not answer it is asked again the next time", async () => {
  fetched.mockRejectedValueOnce(new TypeError("no answer"));
  const send = vi.fn(async (r: Request) => new Response(r.url));
  await expect(it.sent(request(), send)).rejects.toThrow("no answer");
  expect(await (await it.sent(request(), send)).text()).toContain(first.key);
});
