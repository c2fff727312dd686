import { expect, it } from "vitest";
import type { Field } from "../api/fields";
import { runOn } from "./runOn";

const field = (name: string, kind: Field["kind"], unit?: string): Field => ({
  name,
  kind,
  unit,
  title: name,
  help: "",
  options: [],
  empty: false,
  when: {},
});
const fields = [
  field("count", "whole"),
  field("linked", "switch"),
  field("offset", "vector", "m"),
  field("turn", "number", "°"),
];
const params = { count: 5, linked: true, offset: [0, 0, 0], turn: 0 };

it("has several values run on into the fields that follow", () => {
  expect(runOn(fields, params, { name: "count", axis: 0 }, ["12", "0", "20cm", "0", "30°"])).toEqual({
    count: 12,
    linked: true,
    offset: [0, 0.2, 0],
    turn: 30,
  });
  expect(runOn(fields, params, { name: "offset", axis: 1 }, ["2", "3"])).toEqual({ ...params, offset: [0, 2, 3] });
});

it("takes none where one does not fit", () => {
  expect(runOn(fields, params, { name: "turn", axis: 0 }, ["1", "2"])).toBeNull();
  expect(runOn(fields, params, { name: "count", axis: 0 }, ["1.5", "2"])).toBeNull();
  expect(runOn(fields, params, { name: "offset", axis: 2 }, ["1", "2 m"])).toBeNull();
  expect(runOn(fields, params, { name: "linked", axis: 0 }, ["1", "2"])).toBeNull();
});
