import { Euler, Quaternion } from "three";
import { describe, expect, it } from "vitest";
import { degrees } from "./degrees";

const quaternion = (x: number, y: number, z: number) => {
  const [a = 0, b = 0, c = 0] = [x, y, z].map((v) => (v * Math.PI) / 180);
  return new Quaternion().setFromEuler(new Euler(a, b, c, "YXZ"));
};

describe("degrees", () => {
  it("says a turn beyond a quarter about X in one number", () => {
    expect(degrees(quaternion(123.12, 0, 0).toArray())).toEqual([123.12, 0, 0]);
  });
  it("tells turns that make the same quaternion again", () => {
    for (let k = 0; k < 200; k++) {
      const [x, y, z] = [(k * 37.7) % 360, (k * 91.3) % 360, (k * 53.9) % 360];
      const there = quaternion(x, y, z);
      const again = quaternion(...degrees(there.toArray()));
      expect(Math.abs(there.dot(again))).toBeCloseTo(1, 9);
    }
  });
});
