import { expect, it } from "vitest";
import { atMost } from "./words";

it("rounds what nothing is beyond up, to two digits, and never down", () => {
  expect([0, 1.01, 1.1, 0.0301, 99.5, 250, 251, 1.2e-7].map(atMost)).toEqual([
    "0",
    "1.1",
    "1.1",
    "0.031",
    "100",
    "250",
    "260",
    "1.2e-7",
  ]);
  for (let k = 0; k < 2000; k++) {
    const value = 10 ** (8 * Math.random() - 4);
    const told = Number(atMost(value));
    expect(told).toBeGreaterThanOrEqual(value * (1 - 1e-9));
    expect(told).toBeLessThan(value * 1.1 + 1e-12);
  }
});
