/**
 * Changes with their many rows in columns: the word ABC1, the length of the head, the head as JSON, then arrays of
 * numbers. What they say is the same as their JSON says.
 */

import type { Delta, Placement, Run } from "./types";

export const COLUMNS = "application/x-able-brick-columns";
/** What is said by whoever understands them. */
export const ACCEPT = `${COLUMNS}, application/json`;

/** Where a column begins, its rows, and the numbers of a row. */
type Column = [at: number, rows: number, width: number];

interface Placements {
  count: number;
  names: string[];
  number: Column;
  piece: Column;
  group: Column;
  flags: Column;
  position: Column;
  turn: Column;
  size: Column;
  pieces: string[];
  groups: string[];
}

type Laid = Omit<Run, "numbers" | "rows" | "faces"> & { numbers: Column; rows: Column; faces: Column };
export type Head = Omit<Delta, "items"> & { items: Record<string, Laid[]>; placements: Placements };

/** What the flags say above hidden and locked: along which axis a thing is a mirror image. */
const IMAGES = [null, "x", "y", "z"] as const;

const MAGIC = 0x31434241; // "ABC1", little-endian

/** What stands before the columns, and where these begin. Throws for bytes that are no such change. */
export function readHead(data: ArrayBuffer): { head: Head; from: number } {
  const view = new DataView(data);
  if (data.byteLength < 8 || view.getUint32(0, true) !== MAGIC) throw new Error("These are no columns.");
  const from = 8 + view.getUint32(4, true);
  const text = new TextDecoder().decode(new Uint8Array(data, 8, from - 8));
  return { head: JSON.parse(text) as Head, from };
}

/** The change that columns tell. */
export function readColumns(data: ArrayBuffer): Delta {
  const { head, from } = readHead(data);
  const { placements, items, ...rest } = head;
  const whole = ([at, rows, width]: Column) => new Int32Array(data, from + at, rows * width);
  const real = ([at, rows, width]: Column) => new Float64Array(data, from + at, rows * width);
  const out = rest as Delta;
  out.items = {};
  for (const [id, runs] of Object.entries(items)) {
    out.items[id] = runs.map((run) => {
      const poses = real(run.rows);
      const rows: number[][] = [];
      for (let k = 0; k < poses.length; k += 10) rows.push(Array.from(poses.subarray(k, k + 10)));
      return { ...run, numbers: Array.from(whole(run.numbers)), rows, faces: Array.from(whole(run.faces)) };
    });
  }
  const { count, names, pieces, groups } = placements;
  const [number, piece, group, flags] = [placements.number, placements.piece, placements.group, placements.flags].map(
    whole,
  ) as [Int32Array, Int32Array, Int32Array, Int32Array];
  const [position, turn, size] = [placements.position, placements.turn, placements.size].map(real) as [
    Float64Array,
    Float64Array,
    Float64Array,
  ];
  // one row that holds for all is shared by them
  const turns = turn.length === 4 ? four(turn, 0) : null;
  const sizes = size.length === 3 ? three(size, 0) : null;
  const at = (column: Int32Array, k: number): number => column[column.length === 1 ? 0 : k] ?? 0;
  for (let k = 0; k < count; k++) {
    const flag = at(flags, k);
    const into = at(group, k);
    const row: Placement = {
      id: `placement-${at(number, k)}`,
      level: out.level,
      name: names[k] ?? "",
      group: into < 0 ? null : (groups[into] ?? null),
      hidden: (flag & 1) !== 0,
      locked: (flag & 2) !== 0,
      kind: "placement",
      piece: pieces[at(piece, k)] ?? "",
      position: three(position, position.length === 3 ? 0 : 3 * k),
      turn: turns ?? four(turn, 4 * k),
      size: sizes ?? three(size, 3 * k),
      image: IMAGES[flag >> 2] ?? null,
      extras: null,
    };
    out.changed.push(row);
  }
  return out;
}

const three = (a: Float64Array, k: number): [number, number, number] => [a[k] ?? 0, a[k + 1] ?? 0, a[k + 2] ?? 0];
const four = (a: Float64Array, k: number): [number, number, number, number] => [
  a[k] ?? 0,
  a[k + 1] ?? 0,
  a[k + 2] ?? 0,
  a[k + 3] ?? 1,
];
