import type { Course, Group, Path, Piece, Placement, Thing } from "../api/types";
import type { Scene } from "../state/level";

/** Rows and scenes for tests. */
export const piece = (id: string, part: Partial<Piece> = {}): Piece => ({
  kind: "piece",
  id,
  name: id,
  mesh: "m",
  pivot: [0, 0, 0],
  materials: [],
  slim: null,
  axes: [0, 0, 0, 1],
  tags: [],
  kept: [],
  facts: {
    vertices: 8,
    faces: 6,
    triangles: 12,
    hardware_vertices: 24,
    closed: true,
    low: [0, 0, 0],
    high: [1, 1, 1],
    own_normals: false,
  },
  ...part,
});

export const placement = (id: string, part: Partial<Placement> = {}): Placement => ({
  kind: "placement",
  id,
  level: "level-1",
  name: id,
  hidden: false,
  locked: false,
  piece: "piece-1",
  position: [0, 0, 0],
  turn: [0, 0, 0, 1],
  size: [1, 1, 1],
  ...part,
});

export const group = (id: string, part: Partial<Group> = {}): Group => ({
  kind: "group",
  left_out: [],
  id,
  level: "level-1",
  name: id,
  hidden: false,
  locked: false,
  position: [0, 0, 0],
  turn: [0, 0, 0, 1],
  ...part,
});

const row = (id: string) => ({ id, level: "level-1", name: id, hidden: false, locked: false });

export const path = (id: string, ...positions: [number, number, number][]): Path => ({
  ...row(id),
  kind: "path",
  closed: false,
  smooth: false,
  points: positions.map((position) => ({ position, handle_in: null, handle_out: null, roll: 0, sharp: false })),
});

export const course = (id: string, along: string): Course =>
  ({ ...row(id), kind: "course", piece: "piece-1", path: along }) as Course;

export const sceneOf = (...things: Thing[]): Scene => ({
  level: null,
  pieces: new Map([["piece-1", piece("piece-1")]]),
  things: new Map(things.map((t) => [t.id, t])),
  items: new Map(),
  paths: new Map(),
  summary: null,
});
