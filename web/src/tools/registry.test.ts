import { expect, it, vi } from "vitest";
import type { Row, ToolInfo } from "../api/types";

vi.mock("./byHand", () => ({ BY_HAND: {} }));

import { whyNot } from "./registry";

const tool = { need: { kinds: ["path"], least: 1, most: 1 }, asks: "Select a path." } as ToolInfo;

it("tells why a tool cannot work", () => {
  const path = { kind: "path", id: "path-1" } as Row;
  const other = { kind: "placement", id: "placement-1" } as Row;
  expect(whyNot(tool, [path])).toBeNull();
  expect(whyNot(tool, [])).toBe("Select a path.");
  expect(whyNot(tool, [other])).toBe("Select a path.");
  expect(whyNot(tool, [path, path])).toBe("Works on one at a time; 2 are selected.");
});
