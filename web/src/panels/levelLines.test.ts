import { describe, expect, it } from "vitest";
import type { Thing } from "../api/types";
import type { Scene } from "../state/level";
import { found, type Line, levelLines, linesOver, rowOf } from "./levelLines";

const placement = (k: number, piece: string, group: string | null = null): Thing =>
  ({ kind: "placement", id: `placement-${k}`, name: `${piece} ${k}`, piece, group }) as Thing;

function sceneOf(...things: Thing[]): Scene {
  const pieces = new Map([
    ["box", { name: "Box" }],
    ["lamp", { name: "Lamp" }],
  ]);
  const of = new Map(things.map((t) => [t.id, t]));
  return { things: of, pieces, items: new Map(), paths: new Map(), level: null, summary: null } as unknown as Scene;
}

const names = (lines: Line[]): unknown[] => lines.map((l) => (l.inner.length ? [l.name, names(l.inner)] : l.name));

const group = { kind: "group", id: "group-1", name: "Gate", group: null } as Thing;
const path = { kind: "path", id: "path-1", name: "Quay", group: null } as Thing;
const course = { kind: "course", id: "course-1", name: "Wall", path: "path-1", piece: "box", group: null } as Thing;

describe("the level list", () => {
  it("nests groups, and courses under their paths", () => {
    const scene = sceneOf(placement(1, "box"), placement(2, "lamp", "group-1"), course, path, group);
    expect(names(levelLines(scene))).toEqual([["Gate", ["lamp 2"]], ["Quay", ["Wall"]], "box 1"]);
  });
  it("gathers many placements of one piece under a fold, each group for itself", () => {
    const many = Array.from({ length: 13 }, (_, k) => placement(k + 1, "box"));
    const scene = sceneOf(group, ...many, placement(20, "box", "group-1"));
    const lines = levelLines(scene);
    expect(lines.map((l) => [l.name, l.inner.length])).toEqual([
      ["Gate", 1],
      ["Box", 13],
    ]);
    expect(linesOver(scene, many[3] as Thing)).toEqual([lines[1]?.id]);
  });
  it("finds by words of a name, and shows where it is", () => {
    const scene = sceneOf(group, placement(1, "lamp", "group-1"), placement(2, "box"));
    expect(names(found(levelLines(scene), ["lam", "1"]))).toEqual([["Gate", ["lamp 1"]]]);
    expect(names(found(levelLines(scene), ["gate"]))).toEqual([["Gate", ["lamp 1"]]]);
    expect(found(levelLines(scene), ["roof"])).toEqual([]);
  });
  it("tells where a row is among those that are shown", () => {
    const scene = sceneOf(group, placement(1, "lamp", "group-1"), path, course, placement(2, "box"));
    const lines = levelLines(scene);
    const shut = new Set<string>();
    expect(["group-1", "path-1", "placement-2"].map((id) => rowOf(lines, shut, id))).toEqual([0, 1, 2]);
    expect(rowOf(lines, shut, "course-1")).toBe(-1);
    const open = new Set(["group-1", "path-1"]);
    expect(["placement-1", "course-1", "placement-2"].map((id) => rowOf(lines, open, id))).toEqual([1, 3, 4]);
  });
});
