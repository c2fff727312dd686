import { BoxGeometry, type Mesh, MeshBasicMaterial, Scene } from "three";
import { beforeEach, describe, expect, it, vi } from "vitest";

const made = vi.hoisted(() => {
  const canvas = { className: "", getBoundingClientRect: () => ({ width: 768, height: 680 }) };
  globalThis.window = {
    addEventListener: () => undefined,
    setTimeout,
    matchMedia: () => ({ matches: false }),
  } as unknown as typeof window;
  globalThis.document = { body: { append: vi.fn() } } as unknown as Document;
  globalThis.requestAnimationFrame = (step) => setTimeout(step, 0) as unknown as number;
  return {
    canvas,
    renderer: { setPixelRatio: vi.fn(), setSize: vi.fn(), render: vi.fn() },
    api: { levels: vi.fn(), level: vi.fn() },
    meshes: { meshOf: vi.fn(), allMeshes: vi.fn(), askForMeshes: vi.fn() },
  };
});
const scene = new Scene();
vi.mock("../canvas/canvas", () => ({ canvas: made.canvas }));
vi.mock("../canvas/renderer", () => ({
  renderer: made.renderer,
  get scene() {
    return scene;
  },
  pixelRatio: () => 1,
  askForShaders: vi.fn(),
}));
vi.mock("../canvas/lighting", () => ({ paintGround: vi.fn(), placeFog: vi.fn(), placeSun: vi.fn() }));
vi.mock("./meshes", () => made.meshes);
vi.mock("../../api/client", () => ({ api: made.api }));

import { levelStore } from "../../state/level";
import { wasSeen } from "../../state/seen";
import { viewStore } from "../../state/view";
import { delta } from "../../testing/delta";
import { piece, placement } from "../../testing/rows";
import { viewport } from "../../viewport/controller";
import { dropFirst, firstPicture, takeFirst } from "./firstPicture";

const geometry = new BoxGeometry();
const look = new MeshBasicMaterial();

beforeEach(() => {
  vi.clearAllMocks();
  dropFirst();
  made.api.levels.mockResolvedValue([{ id: "level-1" }, { id: "level-2" }]);
  made.api.level.mockResolvedValue(
    delta(3, {
      changed: [
        piece("piece-1"),
        placement("a", { position: [0, 0, 0] }),
        placement("b", { position: [10, 0, 4] }),
        placement("c", { hidden: true }),
      ],
    }),
  );
  made.meshes.meshOf.mockReturnValue({ slots: [{ slot: 0, geometry, faces: [] }], outline: null, inner: null });
  made.meshes.allMeshes.mockResolvedValue(undefined);
});

describe("the first picture", () => {
  it("is of the first level, all of it, once its meshes are there", async () => {
    await firstPicture();
    expect(levelStore.getState()).toMatchObject({ levelId: "level-1", revision: 3 });
    expect(made.renderer.render).toHaveBeenCalledTimes(1);
    expect(wasSeen()).toBe(true);
    expect([viewport.width, viewport.height]).toEqual([768, 680]);
    expect(viewStore.getState().target).toEqual([5.5, 0.5, 2.5]);
    const [drawn] = scene.children as Mesh[];
    expect(scene.children).toHaveLength(1);
    expect(drawn?.geometry.drawRange.count).toBe(2 * 36);
  });

  it("hands on what it was drawn with, once, with the look that it is to have", async () => {
    await firstPicture();
    const [drawn] = scene.children as Mesh[];
    expect(takeFirst("piece-1", geometry, look, 4, false)).toBeUndefined();
    const copies = takeFirst("piece-1", geometry, look, 2, false);
    expect(copies?.drawn).toBe(drawn);
    expect(drawn?.material).toBe(look);
    expect(copies?.each.count).toBe(2);
    expect(scene.children).toEqual([]);
    expect(takeFirst("piece-1", geometry, look, 2, false)).toBeUndefined();
  });

  it("keeps pieces apart that share a mesh", async () => {
    const changed = [piece("piece-1"), piece("piece-2"), placement("a"), placement("b", { piece: "piece-2" })];
    made.api.level.mockResolvedValue(delta(3, { changed }));
    await firstPicture();
    expect(scene.children).toHaveLength(2);
    const taken = ["piece-1", "piece-2"].map((id) => takeFirst(id, geometry, look, 1, false)?.drawn);
    expect(new Set(taken).size).toBe(2);
    expect(scene.children).toEqual([]);
  });

  it("leaves nothing behind that was not taken", async () => {
    await firstPicture();
    dropFirst();
    expect(scene.children).toEqual([]);
    expect(takeFirst("piece-1", geometry, look, 2, false)).toBeUndefined();
  });

  it("shows what has come where a mesh has not", async () => {
    made.meshes.meshOf.mockReturnValue(undefined);
    await firstPicture();
    expect(scene.children).toEqual([]);
    expect(made.renderer.render).toHaveBeenCalledTimes(1);
  });

  it("is none where there is no level", async () => {
    made.api.levels.mockResolvedValue([]);
    await firstPicture();
    expect(made.renderer.render).not.toHaveBeenCalled();
  });
});
