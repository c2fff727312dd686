import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Feature } from "../../api/types";

const taken = vi.hoisted(() => ({
  takeStep: vi.fn(async (): Promise<unknown> => ({})),
  previewStep: vi.fn(),
  featureAt: vi.fn(),
}));
vi.mock("../../state/steps", () => taken);
vi.mock("../../viewport/controller", () => ({ viewport: { seen: () => null, ground: () => null } }));
vi.mock("../picking/featurePick", async (original) => ({
  ...(await original<typeof import("../picking/featurePick")>()),
  featureAt: taken.featureAt,
}));

import { Problem } from "../../api/client";
import { loadLevel } from "../../state/level";
import { runningStore, setTyped } from "../../state/running";
import { select, selectionStore } from "../../state/selection";
import { delta } from "../../testing/delta";
import { group, placement } from "../../testing/rows";
import { type DockRun, dockMode, startDock } from "./dock";

const feature = (thing: string, kind: Feature["kind"], index = 0): Feature => ({
  thing,
  kind,
  index,
  item: 0,
  face: 0,
  share: 0.5,
  away: 0,
  piece: "piece-1",
  mesh: "m",
  point: [0, 0, 0],
  normal: [0, 1, 0],
});
const spot = (x: number) => ({ x, y: x, ctrl: false, shift: false, alt: false });
const now = () => runningStore.getState().now as DockRun | null;
const rest = () => new Promise((next) => setTimeout(next, 0));
/** The params of the last preview, or of the step that was taken last. */
const shownParams = () => taken.previewStep.mock.lastCall?.[0]?.params;
const stepParams = () => (taken.takeStep.mock.lastCall as unknown[] | undefined)?.[1] as Record<string, unknown>;

async function press(what: Feature | null): Promise<void> {
  taken.featureAt.mockResolvedValueOnce(what);
  await dockMode.press(spot(1))?.release(spot(1));
}

beforeEach(() => {
  vi.clearAllMocks();
  taken.takeStep.mockResolvedValue({});
  loadLevel(
    delta(1, {
      changed: [
        group("stack"),
        placement("crate", { group: "stack" }),
        placement("box"),
        placement("post"),
        placement("shut", { locked: true }),
      ],
    }),
  );
  select(["box"]);
  setTyped("");
  startDock();
});

describe("docking", () => {
  it("takes a grip of the selection, then a landing on anything else, and goes on", async () => {
    await press(feature("box", "vertex", 3));
    expect(now()).toMatchObject({ grip: { thing: "box", index: 3 }, feature: null });
    const [, , accept] = taken.featureAt.mock.lastCall as [number, number, (id: string) => boolean];
    expect(["box", "post"].map(accept)).toEqual([true, false]);
    await press(feature("post", "vertex", 5));
    expect(stepParams()).toMatchObject({
      grip: { thing: "box", kind: "vertex", index: 3 },
      landing: { thing: "post", kind: "vertex", index: 5 },
      point: null,
      contact: false,
      gap: 0,
    });
    expect(now()).toMatchObject({ kind: "dock", grip: null, selection: ["box"] });
  });

  it("takes what is gripped where nothing is selected: the whole group, and nothing that is locked", async () => {
    select([]);
    startDock();
    await press(feature("shut", "vertex"));
    expect(now()).toMatchObject({ grip: null });
    await press(feature("crate", "vertex"));
    expect(selectionStore.getState().ids).toEqual(["stack"]);
    expect(now()).toMatchObject({ selection: ["stack"], grip: { thing: "crate" } });
  });

  it("lays face against face by itself, with quarter turns, free edges and a typed gap", async () => {
    await press(feature("box", "face"));
    taken.featureAt.mockResolvedValueOnce(feature("post", "face"));
    dockMode.move(spot(2));
    await rest();
    expect(shownParams()).toMatchObject({ contact: true, quarters: 0, align: true, gap: 0 });
    for (const key of ["q", "q", "e"]) expect(dockMode.key?.(key)).toBe(true);
    setTyped("0.25");
    expect(shownParams()).toMatchObject({ contact: true, quarters: 2, align: false, gap: 0.25 });
    dockMode.key?.("f");
    expect(shownParams()).toMatchObject({ contact: false, quarters: 0, gap: 0 });
    expect(dockMode.key?.("q")).toBe(false);
    expect(dockMode.key?.("x")).toBe(false);
  });

  it("stays where it is when the step is refused", async () => {
    await press(feature("box", "vertex"));
    taken.takeStep.mockResolvedValueOnce(new Problem({ code: "no", status: 422, detail: "no", data: {} }));
    await press(feature("post", "vertex"));
    expect(now()).toMatchObject({ grip: { thing: "box" }, feature: { thing: "post" } });
  });

  it("goes back to the grip, then out", async () => {
    await press(feature("box", "vertex"));
    dockMode.back();
    expect(now()).toMatchObject({ kind: "dock", grip: null });
    dockMode.back();
    expect(now()).toBeNull();
  });

  it("takes nothing where nothing is under the pointer", async () => {
    await press(null);
    expect(now()).toMatchObject({ grip: null });
    expect(taken.takeStep).not.toHaveBeenCalled();
  });
});
