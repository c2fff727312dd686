import { describe, expect, it } from "vitest";
import { evaluate, numbersIn } from "./expression";

describe("evaluate", () => {
  it.each([
    ["4*1.2", 4.8],
    ["1 + 2 * 3", 7],
    ["(1 + 2) * 3", 9],
    ["-3 + 0.17", -2.83],
    ["−2", -2],
    ["2 × 3 ÷ 4", 1.5],
    ["1,5", 1.5],
    [".5", 0.5],
    ["--2", 2],
    ["1e3", 1000],
  ])("reads %s", (text, value) => {
    expect(evaluate(text)).toBeCloseTo(value, 12);
  });

  it.each([
    ["30 cm", 0.3],
    ["250mm", 0.25],
    ["1 m + 20 cm", 1.2],
    ["6 ft", 1.8288],
    ["12 in", 0.3048],
  ])("reads lengths: %s", (text, metres) => {
    expect(evaluate(text, "m")).toBeCloseTo(metres, 12);
  });

  it("reads its own unit and no other", () => {
    expect(evaluate("45°", "°")).toBe(45);
    expect(evaluate("25 %", "%")).toBe(25);
    expect(evaluate("45 m", "°")).toBeNull();
    expect(evaluate("3 lbs", "m")).toBeNull();
  });

  it.each(["", "wide", "1 +", "(1", "1)", "2 3", "1/0", "alert(1)", "1..2", "*3"])("refuses %s", (text) => {
    expect(evaluate(text, "m")).toBeNull();
  });
});

describe("numbersIn", () => {
  it("reads several values", () => {
    expect(numbersIn("3.00, 0, 3.20")).toEqual([3, 0, 3.2]);
    expect(numbersIn("1 2")).toEqual([1, 2]);
    expect(numbersIn("4*1.2; -1")).toEqual([4.8, -1]);
  });

  it("refuses them all when one is wrong", () => {
    expect(numbersIn("1, x")).toBeNull();
    expect(numbersIn("  ")).toBeNull();
  });
});
