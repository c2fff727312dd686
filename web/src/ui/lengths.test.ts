import { beforeEach, expect, it } from "vitest";
import { DEFAULTS, settingsStore } from "../theme/settings";
import { evaluate, numbersIn } from "./expression";
import { length, lengths, metresOf, perMetre, shortLength } from "./lengths";

beforeEach(() => settingsStore.setState(DEFAULTS));

it("shows lengths in the unit that was chosen, as exactly as metres", () => {
  expect(length(1.234, 2)).toBe("1.23\u00a0m");
  settingsStore.setState({ unit: "cm" });
  expect(length(1.234, 3)).toBe("123.4\u00a0cm");
  settingsStore.setState({ unit: "mm" });
  expect(length(-1.2346, 3)).toBe("−1235\u00a0mm");
  expect(length(68.57, 2)).toBe("68\u202f570\u00a0mm");
  expect(lengths([0.4, 0.05], 2, " × ")).toBe("400 × 50\u00a0mm");
  expect(shortLength(0.5, 6)).toBe("500\u00a0mm");
});

it("shows no more of a short length than there is", () => {
  expect(shortLength(0.5, 6)).toBe("0.5\u00a0m");
  expect(shortLength(10, 1)).toBe("10\u00a0m");
});

it("reads what is typed in the unit that was chosen, and others by their names", () => {
  settingsStore.setState({ unit: "cm" });
  expect(numbersIn("120, 1m, 5mm")).toEqual([1.2, 1, 0.005]);
  expect(numbersIn("90", () => false)).toEqual([90]);
  expect(numbersIn("2*3")).toEqual([0.06]);
});

it.each(["m", "cm", "mm"] as const)("reads a length as the same number that it was shown for, in %s", (unit) => {
  for (let k = 1; k < 4000; k++) {
    const metres = k / 1000;
    const text = String(Number((metres * perMetre(unit)).toFixed(6)));
    expect(metresOf(evaluate(text, unit) ?? Number.NaN, perMetre(unit))).toBe(metres);
  }
});
