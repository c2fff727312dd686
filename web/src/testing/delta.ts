import type { Delta } from "../api/types";

/** A change of level-1 for tests. */
export const delta = (revision: number, part: Partial<Delta> = {}): Delta => ({
  level: "level-1",
  revision,
  changed: [],
  removed: [],
  items: {},
  paths: {},
  summary: { triangles: 0, hardware_vertices: 0, draw_calls: 0, placements: 0, uses: [], findings: [] },
  history: { last: null, redo: null },
  select: null,
  note: "",
  idle: false,
  ...part,
});
