import { Matrix4, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import { piece } from "../../testing/rows";
import { type Entry, itemMatrix } from "./entries";
import { OutlineBuffer, type Part, roomFor } from "./outlineBuffer";

const ends = new Float32Array([0, 0, 0, 1, 0, 0, 1, 0, 0, 1, 2, 0]);
const plank = piece("piece-1", { pivot: [0.5, 0, 0] });
const entry = (x: number): Entry => ({ thing: `at ${x}`, item: 0, pose: [x, 1, 0, 0, 0.6, 0, 0.8, 2, 1, 1] });
const partsOf = (entries: Entry[]): Part[] =>
  entries.map((e, k) => ({ entry: e, piece: plank, ends, at: k * ends.length }));
const still = (parts: readonly Part[]) => parts.map(() => undefined);
const everything = () => 100;

/** What is drawn, point by point. */
function drawn(buffer: OutlineBuffer): number[] {
  const { geometry } = buffer.lines;
  const { array } = geometry.getAttribute("position");
  const index = [...(geometry.index?.array ?? [])].slice(0, geometry.drawRange.count);
  return index.flatMap((k) => [...array.slice(3 * k, 3 * k + 3)]);
}

/** The ends of a part, moved plainly. */
function moved(part: Part, by = new Matrix4()): number[] {
  const matrix = itemMatrix(part.entry.pose, part.piece, new Matrix4()).premultiply(by);
  const out: number[] = [];
  for (let k = 0; k < ends.length; k += 3) out.push(...new Vector3().fromArray(ends, k).applyMatrix4(matrix).toArray());
  return out;
}

const close = (a: number[], b: number[]) => {
  expect(a.length).toBe(b.length);
  for (const [k, v] of a.entries()) expect(v).toBeCloseTo(b[k] ?? Number.NaN, 5);
};

describe("the edges of many items", () => {
  it("are drawn where their items stand", () => {
    const parts = partsOf([entry(0), entry(5), entry(9)]);
    const buffer = new OutlineBuffer(roomFor(36), "#000000");
    buffer.place(parts, still(parts));
    buffer.look(everything);
    close(
      drawn(buffer),
      parts.flatMap((p) => moved(p)),
    );
  });

  it("are left out where they are too small, and drawn once they are not", () => {
    const parts = partsOf([entry(0), entry(5)]);
    const buffer = new OutlineBuffer(roomFor(24), "#000000");
    buffer.place(parts, still(parts));
    const asked: number[] = [];
    buffer.look((spheres, at) => {
      asked.push(...spheres.slice(at, at + 4));
      return at === 0 ? 1 : 100;
    });
    // the middle of the second item, and its reach, which covers all its edges
    const [x = 0, y = 0, z = 0, reach = 0] = asked.slice(4);
    const points = moved(parts[1] as Part);
    for (let k = 0; k < points.length; k += 3) {
      expect(Math.hypot((points[k] ?? 0) - x, (points[k + 1] ?? 0) - y, (points[k + 2] ?? 0) - z)).toBeLessThan(
        reach + 1e-5,
      );
    }
    close(drawn(buffer), points);
    buffer.look(everything);
    close(
      drawn(buffer),
      parts.flatMap((p) => moved(p)),
    );
    buffer.look(() => 0);
    expect(drawn(buffer)).toEqual([]);
  });

  it("follow a drag, and go back with it", () => {
    const parts = partsOf([entry(0), entry(5)]);
    const by = new Matrix4().makeTranslation(3, 0, 1);
    const buffer = new OutlineBuffer(roomFor(24), "#000000");
    buffer.place(parts, still(parts));
    buffer.look(everything);
    buffer.place(parts, [undefined, by]);
    buffer.look(everything);
    close(drawn(buffer), [...moved(parts[0] as Part), ...moved(parts[1] as Part, by)]);
    buffer.place(parts, still(parts));
    buffer.look(everything);
    close(
      drawn(buffer),
      parts.flatMap((p) => moved(p)),
    );
  });

  it("are written again where others come before them, or their piece has another pivot", () => {
    const [a, b, c] = [entry(0), entry(5), entry(9)];
    const buffer = new OutlineBuffer(roomFor(36), "#000000");
    const first = partsOf([a, b]);
    buffer.place(first, still(first));
    buffer.look(everything);
    const more = partsOf([c, a, b]).map((p) => (p.entry === b ? { ...p, piece: { ...plank, pivot: [0, 2, 0] } } : p));
    buffer.place(more as Part[], still(more as Part[]));
    buffer.look(everything);
    close(
      drawn(buffer),
      (more as Part[]).flatMap((p) => moved(p)),
    );
  });
});
