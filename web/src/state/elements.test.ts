import { afterEach, expect, test } from "vitest";
import { piece, placement, sceneOf } from "../testing/rows";
import { elementStore, elementsNow, openPiece, pickElements, pickedNow, rangesOf, takeElements } from "./elements";
import { levelStore } from "./level";
import { select } from "./selection";
import { setView } from "./view";

const open = (mesh: string) =>
  levelStore.setState({
    scene: { ...sceneOf(placement("placement-1")), pieces: new Map([["piece-1", piece("piece-1", { mesh })]]) },
  });

afterEach(() => {
  select([]);
  setView({ stage: "build" });
  elementStore.setState({ piece: null, mesh: "", ids: new Set(), hovered: null });
});

test("numbers travel as rising, closed ranges", () => {
  expect(rangesOf([7, 2, 1, 0, 9, 8, 2])).toEqual([
    [0, 2],
    [7, 9],
  ]);
  expect(rangesOf([])).toEqual([]);
});

test("what one thing shows is open in Shape, and nowhere else", () => {
  open("m1");
  select(["placement-1"]);
  expect(openPiece()).toBeNull();
  setView({ stage: "shape" });
  expect(openPiece()?.id).toBe("piece-1");
  pickElements("face", [4, 5]);
  expect(elementsNow()).toEqual({ mesh: "m1", kind: "face", ids: [[4, 5]] });
});

test("picks go with the mesh that they were of, and those of a step are taken for its mesh alone", () => {
  open("m1");
  select(["placement-1"]);
  setView({ stage: "shape" });
  pickElements("face", [4]);
  open("m2");
  expect(pickedNow().ids.size).toBe(0);
  takeElements({ mesh: "m1", kind: "face", ids: [[0, 3]] });
  expect(pickedNow().ids.size).toBe(0);
  takeElements({ mesh: "m2", kind: "face", ids: [[0, 3]] });
  expect([...pickedNow().ids]).toEqual([0, 1, 2, 3]);
});

test("where a step came to an end is marked until something else is picked", () => {
  open("m3");
  select(["placement-1"]);
  setView({ stage: "shape" });
  takeElements({ mesh: "m3", kind: "edge", ids: [[0, 3]] }, { mesh: "m3", kind: "face", ids: [[7, 8]] });
  expect([...elementStore.getState().ended]).toEqual([7, 8]);
  pickElements("face", [1]);
  expect(elementStore.getState().ended.size).toBe(0);
});

test("picks come back with the mesh that they were of, as undo does", () => {
  open("m1");
  select(["placement-1"]);
  setView({ stage: "shape" });
  pickElements("edge", [3, 9]);
  open("m2");
  takeElements({ mesh: "m2", kind: "face", ids: [[0, 0]] });
  open("m1");
  expect(pickedNow()).toEqual({ kind: "edge", ids: new Set([3, 9]) });
  open("m2");
  expect(pickedNow()).toEqual({ kind: "face", ids: new Set([0]) });
});
