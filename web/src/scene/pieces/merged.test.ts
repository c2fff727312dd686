import {
  BoxGeometry,
  type BufferAttribute,
  type BufferGeometry,
  DoubleSide,
  EdgesGeometry,
  type Intersection,
  Matrix4,
  type Mesh,
  MeshBasicMaterial,
  Quaternion,
  Raycaster,
  Vector3,
} from "three";
import { describe, expect, it } from "vitest";
import { handOf, Merged, mergeable } from "./merged";

const look = new MeshBasicMaterial({ side: DoubleSide });
const at = (x: number, size: [number, number, number], turn = 0): Matrix4 =>
  new Matrix4().compose(
    new Vector3(x, 1, -2),
    new Quaternion().setFromAxisAngle(new Vector3(1, 2, 3).normalize(), turn),
    new Vector3(...size),
  );
const numbers = (matrices: Matrix4[]): Float32Array => Float32Array.from(matrices.flatMap((m) => m.elements));
const points = (geometry: BufferGeometry, name = "position"): Vector3[] => {
  const attribute = geometry.getAttribute(name) as BufferAttribute;
  return Array.from({ length: attribute.count }, (_, k) => new Vector3().fromBufferAttribute(attribute, k));
};

describe("copies merged into one geometry", () => {
  const box = new BoxGeometry(1, 2, 3);
  const matrices = [at(0, [1, 1, 1]), at(5, [2, 0.5, 1], 0.7), at(-5, [-1, 1, 3], 1.9)];
  const merged = new Merged("mesh", box, look, 4);
  merged.place(numbers(matrices), 3);
  const geometry = merged.object.geometry;

  it("stand where their matrices put them", () => {
    const found = points(geometry);
    matrices.forEach((m, k) => {
      points(box).forEach((p, j) => {
        expect(found[24 * k + j]?.distanceTo(p.applyMatrix4(m))).toBeLessThan(1e-5);
      });
    });
    expect(geometry.drawRange.count).toBe(3 * 36);
  });

  it("have normals that stand upright on their triangles, outward, whatever the sizes", () => {
    const where = points(geometry);
    const normals = points(geometry, "normal");
    const index = geometry.index as BufferAttribute;
    for (let k = 0; k < 3 * 36; k += 3) {
      const [a, b, c] = [0, 1, 2].map((j) => where[index.getX(k + j)] as Vector3) as [Vector3, Vector3, Vector3];
      const upright = b.clone().sub(a).cross(c.clone().sub(a)).normalize();
      const n = normals[index.getX(k)] as Vector3;
      expect(n.length()).toBeCloseTo(1, 5);
      expect(n.dot(upright)).toBeCloseTo(1, 5);
      const middle = new Vector3().setFromMatrixPosition(matrices[Math.floor(k / 36)] as Matrix4);
      expect(n.dot(a.clone().sub(middle))).toBeGreaterThan(0);
    }
  });

  it("are written again only where they have moved", () => {
    const position = geometry.getAttribute("position") as BufferAttribute;
    position.clearUpdateRanges();
    const { version } = position;
    merged.place(numbers(matrices), 3);
    expect(position.version).toBe(version);
    merged.place(numbers([matrices[0] as Matrix4, at(9, [1, 1, 1]), matrices[2] as Matrix4]), 3);
    expect(position.updateRanges).toEqual([{ start: 72, count: 72 }]);
    const hits: Intersection[] = [];
    const ray = new Raycaster(new Vector3(9, 1, 50), new Vector3(0, 0, -1));
    (merged.object as Mesh).raycast(ray, hits);
    expect(hits.length).toBeGreaterThan(0);
    merged.place(numbers([matrices[0] as Matrix4]), 1);
    expect(geometry.drawRange.count).toBe(36);
  });

  it("keep what else their corners have", () => {
    const own = (box.getAttribute("uv") as BufferAttribute).array;
    const all = (geometry.getAttribute("uv") as BufferAttribute).array;
    expect(all.slice(2 * own.length, 3 * own.length)).toEqual(own);
  });

  it("can be lines", () => {
    const edges = new EdgesGeometry(box);
    const lines = new Merged("lines", edges, look, 2);
    lines.place(numbers([at(0, [1, 1, 1]), at(3, [-1, 1, 1])]), 2);
    const index = lines.object.geometry.index as BufferAttribute;
    expect(index.array).toEqual(Uint32Array.from({ length: 48 }, (_, k) => k));
    expect(lines.object.geometry.getAttribute("normal")).toBeUndefined();
  });
});

it("merges what is small, and what is mirrored", () => {
  expect(mergeable(new BoxGeometry(), 4096, false)).toBe(true);
  expect(mergeable(new BoxGeometry(), 8192, false)).toBe(false);
  const fine = new BoxGeometry(1, 1, 1, 20, 20, 20);
  expect(mergeable(fine, 1, false)).toBe(false);
  expect(mergeable(fine, 16, true)).toBe(true);
});

it("tells what mirrors", () => {
  expect(handOf(numbers([at(1, [1, 2, 3], 0.4)]))).toBe(1);
  expect(handOf(numbers([at(0, [1, 1, 1]), at(1, [1, -2, 3], 2.4)]), 16)).toBe(-1);
});
