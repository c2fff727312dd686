import { beforeEach, expect, test, vi } from "vitest";
import type { ToolInfo } from "../api/types";
import { countUse, mostUsed } from "./often";

const kept = new Map<string, string>();
beforeEach(() => {
  kept.clear();
  vi.stubGlobal("localStorage", {
    getItem: (k: string) => kept.get(k) ?? null,
    setItem: (k: string, v: string) => kept.set(k, v),
  });
});

const tools = ["move", "turn", "dock", "spread", "mirror"].map(
  (tool) => ({ tool, key: tool === "dock" ? "K" : null }) as unknown as ToolInfo,
);
const names = (found: ToolInfo[]) => found.map((t) => t.tool);

test("before any use those with a key come first, in the order that all have", () => {
  expect(names(mostUsed(tools, 2))).toEqual(["move", "dock"]);
});

test("what is used more often takes the place of what is not", () => {
  for (let k = 0; k < 3; k += 1) countUse("mirror");
  countUse("spread");
  expect(names(mostUsed(tools, 2))).toEqual(["spread", "mirror"]);
});

test("old habits count less than new ones", () => {
  for (let k = 0; k < 201; k += 1) countUse("move");
  expect(JSON.parse(kept.get("able-brick tools used") ?? "{}")).toEqual({ move: 100 });
});

test("what was stored by something else does no harm", () => {
  kept.set("able-brick tools used", '{"mirror": "x"}');
  expect(names(mostUsed(tools, 1))).toEqual(["dock"]);
  kept.set("able-brick tools used", "[");
  expect(names(mostUsed(tools, 1))).toEqual(["dock"]);
});
