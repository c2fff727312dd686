import { BufferGeometry, InstancedMesh, Matrix4, PerspectiveCamera, Scene } from "three";
import { expect, test } from "vitest";
import { largest, thinly } from "./crowds";

const camera = new PerspectiveCamera(50, 1, 0.1, 1e5);
camera.updateMatrixWorld();
const view = new Matrix4().multiplyMatrices(camera.projectionMatrix, camera.matrixWorldInverse).elements;

/** Copies at distances before the camera. */
function row(distances: readonly number[]): Float32Array {
  const out = new Float32Array(16 * distances.length);
  distances.forEach((d, k) => void new Matrix4().makeTranslation(0, 0, -d).toArray(out, 16 * k));
  return out;
}

test("the nearest are taken, in their order, and what is behind or beside is not", () => {
  const from = row([400, 3, -5, 50, 2, 1000]);
  const to = new Float32Array(16 * 3);
  expect(largest(from, 6, 3, view, to)).toBe(3);
  expect([to[14], to[30], to[46]]).toEqual([-3, -50, -2]);
  from[16 + 12] = 100;
  expect(largest(from, 6, 3, view, to)).toBe(3);
  expect([to[14], to[30], to[46]]).toEqual([-400, -50, -2]);
});

test("a larger copy counts as much as a nearer one", () => {
  const from = row([10, 20]);
  new Matrix4().makeScale(9, 9, 9).setPosition(0, 0, -20).toArray(from, 16);
  const to = new Float32Array(16);
  expect(largest(from, 2, 1, view, to)).toBe(1);
  expect(to[14]).toBe(-20);
});

test("of equal ones so many are taken as there is room for", () => {
  const from = row(Array.from({ length: 50 }, () => 10));
  expect(largest(from, 50, 7, view, new Float32Array(16 * 7))).toBe(7);
});

test("a crowd is drawn thinly, and is as it was afterwards", () => {
  const scene = new Scene();
  const crowd = new InstancedMesh(new BufferGeometry(), undefined, 20_000);
  crowd.instanceMatrix.array.set(row(Array.from({ length: 20_000 }, (_, k) => 5 + k)));
  scene.add(crowd);
  const { instanceMatrix } = crowd;
  let drawn = 0;
  thinly(scene, camera, () => {
    drawn = crowd.count;
    crowd.computeBoundingSphere();
    expect(crowd.instanceMatrix).not.toBe(instanceMatrix);
  });
  expect(drawn).toBe(6000);
  expect([crowd.count, crowd.instanceMatrix]).toEqual([20_000, instanceMatrix]);
  // else nothing that was not drawn could be picked
  expect(crowd.boundingSphere).toBeNull();
});
