import { beforeEach, expect, test, vi } from "vitest";

vi.mock("../canvas/renderer", () => ({ inSoftware: false }));
vi.mock("./trees", () => ({ treesSoon: vi.fn() }));
vi.mock("../../api/early", () => ({ takeEarly: vi.fn() }));

import { loadLevel } from "../../state/level";
import { delta } from "../../testing/delta";
import { piece, placement } from "../../testing/rows";
import { askForMeshes } from "./meshes";

const asked: string[] = [];

beforeEach(() => {
  asked.length = 0;
  vi.stubGlobal("window", { setTimeout, clearTimeout });
  vi.stubGlobal("fetch", (path: string) => {
    asked.push(path.split("/").at(-1) ?? "");
    return new Promise(() => undefined);
  });
});

test("only the meshes of what is shown are asked for", async () => {
  const rows = [
    piece("piece-1", { mesh: "shown" }),
    piece("piece-2", { mesh: "hidden" }),
    piece("piece-3", { mesh: "nowhere" }),
    placement("placement-1", { piece: "piece-1" }),
    placement("placement-2", { piece: "piece-2", hidden: true }),
  ];
  loadLevel(delta(1, { changed: rows }));
  askForMeshes();
  await Promise.resolve();
  await Promise.resolve();
  expect(asked).toEqual(["shown.glb"]);
});
