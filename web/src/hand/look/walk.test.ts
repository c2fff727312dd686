import { BoxGeometry, InstancedMesh, Matrix4, MeshBasicMaterial, Vector3 } from "three";
import { beforeEach, describe, expect, it, vi } from "vitest";

const frames = vi.hoisted(() => {
  const waiting: (() => void)[] = [];
  globalThis.window = { addEventListener: () => undefined } as unknown as typeof window;
  globalThis.requestAnimationFrame = (step) => waiting.push(() => step(0));
  return waiting;
});

import { setView, viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";
import { someWayBefore, standAt, walk } from "./walk";

/** Boxes by their lowest and highest corners. */
function world(...boxes: [number, number, number, number, number, number][]): void {
  const mesh = new InstancedMesh(new BoxGeometry(), new MeshBasicMaterial(), boxes.length);
  boxes.forEach(([a, b, c, d, e, f], k) => {
    const middle = new Matrix4().makeTranslation((a + d) / 2, (b + e) / 2, (c + f) / 2);
    mesh.setMatrixAt(k, middle.multiply(new Matrix4().makeScale(d - a, e - b, f - c)));
  });
  viewport.pickables.clear();
  viewport.pickables.add(mesh);
}
const GROUND: [number, number, number, number, number, number] = [-50, -1, -50, 50, 0, 50];
const body = { height: 1.8, radius: 0.35, eye: 1.7, fov: 60, step: 0.45 };
setView({ body });
/** Stand at a place and look along −Z. */
const stand = (x: number, y: number, z: number) => {
  setView({ mode: "eye", target: [x, y + body.eye, z], yaw: 0, pitch: 0 });
};
const feet = () => {
  const [x, y, z] = viewStore.getState().target;
  return [x, y - body.eye, z] as const;
};
/** Let time pass until there is nothing more to come. */
function wait(): void {
  const now = vi.spyOn(performance, "now");
  for (let k = 0, at = performance.now(); frames.length > 0 && k < 200; k++) {
    at += 16;
    now.mockReturnValue(at);
    frames.shift()?.();
  }
  now.mockRestore();
}

beforeEach(() => {
  world(GROUND);
  stand(0, 0, 0);
});

describe("walking", () => {
  it("goes ahead on a floor", () => {
    walk(2);
    wait();
    const [x, y, z] = feet();
    expect([x, y, z].map((v) => Number(v.toFixed(6)))).toEqual([0, 0, -2]);
  });

  it("stops before a wall, a body's radius away, and slides along one that stands askew", () => {
    world(GROUND, [-5, 0, -3, 5, 3, -2.8]);
    walk(6);
    wait();
    expect(feet()[2]).toBeCloseTo(-2.8 + body.radius, 3);
    stand(0, 0, 0);
    setView({ yaw: 0.6 });
    walk(6);
    wait();
    expect(feet()[2]).toBeCloseTo(-2.8 + body.radius, 2);
    expect(feet()[0]).toBeLessThan(-1);
  });

  it("takes a step of 0.4 m and is stopped by one of 0.6 m", () => {
    world(GROUND, [-2, 0, -9, 2, 0.4, -1]);
    walk(2);
    wait();
    expect(feet()[1]).toBeCloseTo(0.4, 6);
    world(GROUND, [-2, 0, -9, 2, 0.6, -1]);
    stand(0, 0, 0);
    walk(2);
    wait();
    expect(feet()[1]).toBeCloseTo(0, 6);
    expect(feet()[2]).toBeGreaterThan(-1);
  });

  it("falls from an edge onto what is below", () => {
    world(GROUND, [-1, 0, -1, 1, 3, 1]);
    stand(0, 3, 0);
    walk(3);
    expect(feet()[1]).toBeGreaterThan(1);
    wait();
    expect(feet()[1]).toBeCloseTo(0, 6);
  });

  it("does not pass a gap that is narrower than the body, and passes a wider one", () => {
    const gap = (wide: number) => world(GROUND, [-5, 0, -2, -wide / 2, 3, -1.5], [wide / 2, 0, -2, 5, 3, -1.5]);
    gap(2 * body.radius - 0.1);
    walk(4);
    wait();
    expect(feet()[2]).toBeGreaterThan(-1.5);
    gap(2 * body.radius + 0.1);
    stand(0, 0, 0);
    walk(4);
    wait();
    expect(feet()[2]).toBeCloseTo(-4, 1);
  });

  it("begins some way before a wall that is looked at, where nothing is between", () => {
    const wall = new Vector3(1, 2, 3);
    expect(someWayBefore(wall, new Vector3(11, 7, 3)).toArray()).toEqual([5, 4, 3]);
    const near = someWayBefore(wall, new Vector3(2, 2, 3)).toArray();
    expect(near[0]).toBeCloseTo(1.6, 9);
    expect(someWayBefore(wall, new Vector3(1, 9, 3)).toArray()).toEqual([1, 2, 3]);
  });

  it("begins a body's radius aside of a wall that is nearer", () => {
    world(GROUND, [-0.2, 0, -5, 0.2, 3, 5]);
    const found = standAt(new Vector3(0.3, 0, 0));
    expect(found.x).toBeCloseTo(0.2 + body.radius, 6);
    expect([found.y, found.z]).toEqual([0, 0]);
  });
});
