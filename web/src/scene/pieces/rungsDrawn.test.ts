import { describe, expect, it } from "vitest";
import type { Rung } from "../../api/types";
import { piece } from "../../testing/rows";
import { byRung, rungFor } from "./rungsDrawn";

const rung = (mesh: string, good_from: number): Rung => ({
  target: { kind: "share", value: 50, distance: 10, go_on: false },
  mesh,
  triangles: 10,
  hardware_vertices: 10,
  largest: 0.01,
  rms: 0.005,
  good_from,
  reached: true,
  brought: "",
  proven: true,
  met: 0.009,
});
const tree = piece("tree", {
  mesh: "whole",
  ladder: {
    source: "whole",
    rungs: [rung("near", 5), rung("far", 20)],
    seams: { found: true, sides: [] },
    outline: false,
    kept: 0,
    recipe: "",
    size: [1, 1, 1],
  },
});
const at = (x: number, size = 1) => ({ thing: `t${x}`, item: 0, pose: [x, 0, 0, 0, 0, 0, 1, size, 1, 1] });

describe("rungs that are drawn", () => {
  it("are the last that are good from where the eye is", () => {
    const eye = [0, 0, 0];
    expect([1, 5, 19, 20, 100].map((x) => rungFor(tree, at(x).pose, eye))).toEqual([0, 1, 1, 2, 2]);
    expect(rungFor(tree, at(8, 2).pose, eye)).toBe(0);
  });

  it("are chosen for items by how large they are beside what the ladder was made for", () => {
    const large = { ...tree, ladder: tree.ladder && { ...tree.ladder, size: [2, 2, 4] as [number, number, number] } };
    const eye = [0, 0, 0];
    expect(rungFor(large, [5, 0, 0, 0, 0, 0, 1, -2, 2, 4], eye)).toBe(1);
    expect(rungFor(large, [5, 0, 0, 0, 0, 0, 1, 2, 2.1, 4], eye)).toBe(0);
    expect(rungFor(large, [10.5, 0, 0, 0, 0, 0, 1, 1, 1, 1], eye)).toBe(2);
  });

  it("are chosen for each item by its distance, or are one for all", () => {
    const entries = [at(1), at(30), at(2), at(6)];
    const near = byRung(tree, entries, "distance", [0, 0, 0]);
    expect([...(near ?? [])].map(([k, v]) => [k, v.piece.mesh, v.entries.length])).toEqual([
      [0, "whole", 2],
      [2, "far", 1],
      [1, "near", 1],
    ]);
    const fixed = byRung(tree, entries, "7", null);
    expect([...(fixed ?? [])].map(([k, v]) => [k, v.piece.mesh])).toEqual([[2, "far"]]);
  });

  it("are none for a piece without a ladder, or with one that is stale", () => {
    expect(byRung(piece("plain"), [at(1)], "distance", [0, 0, 0])).toBeNull();
    expect(byRung({ ...tree, mesh: "other" }, [at(1)], "1", null)).toBeNull();
    expect(byRung(tree, [at(1)], "source", null)).toBeNull();
  });
});
