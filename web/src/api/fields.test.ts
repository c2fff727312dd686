import { expect, it } from "vitest";
import { defaultsOf, fieldsOf, matters } from "./fields";
import type { ToolInfo } from "./types";

const tool: ToolInfo = {
  tool: "lay",
  title: "Lay",
  about: "",
  verb: "Lay",
  stages: ["build"],
  need: { kinds: ["path"], least: 1, most: 1, having: [] },
  asks: "Select a path.",
  key: null,
  icon: "box",
  hidden: false,
  prefill: false,
  instant: false,
  previews: true,
  long: false,
  takes: [],
  leads: [],
  fields: {
    $defs: { Fit: { enum: ["fill", "number"], title: "Fit", type: "string" } },
    properties: {
      tool: { const: "lay", default: "lay", type: "string" },
      fit: { $ref: "#/$defs/Fit", default: "fill", title: "Fit", description: "How many" },
      number: { type: "integer", default: 10, title: "Number", when: { fit: ["number"] } },
      gap: { type: "number", default: 0, title: "Gap", unit: "m", step: 0.05 },
      step: { anyOf: [{ type: "number" }, { type: "null" }], default: null, title: "Step" },
      by: { prefixItems: [{}, {}, {}], default: [0, 0, 0], title: "By" },
      points: { type: "array", title: "Points", widget: "points" },
      flip: { type: "boolean", default: false, title: "Flip" },
    },
  },
};

it("reads fields from a tool's schema", () => {
  const fields = fieldsOf(tool);
  expect(fields.map((f) => [f.name, f.kind])).toEqual([
    ["fit", "choice"],
    ["number", "whole"],
    ["gap", "number"],
    ["step", "number"],
    ["by", "vector"],
    ["points", "none"],
    ["flip", "switch"],
  ]);
  expect(fields[0]?.options).toEqual(["fill", "number"]);
  expect(fields[2]).toMatchObject({ unit: "m", step: 0.05, empty: false });
  expect(fields[3]?.empty).toBe(true);
  expect(defaultsOf(tool)).toMatchObject({ fit: "fill", number: 10, step: null });
});

it("leaves out fields that do not matter", () => {
  const number = fieldsOf(tool)[1];
  expect(number && matters(number, { fit: "fill" })).toBe(false);
  expect(number && matters(number, { fit: "number" })).toBe(true);
});
