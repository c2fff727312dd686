import { beforeEach, expect, it } from "vitest";
import { type KeyEntry, keyMapStore, keyOf, pressedKey, resetKeys, setKey, takenBy, whyNotKey } from "./keyMap";

const hide: KeyEntry = { scope: "everywhere", ours: "H", does: "hide" };
const bevel: KeyEntry = { scope: "shape", ours: "B", does: "bevel" };
const batch: KeyEntry = { scope: "slim", ours: "B", does: "batch" };
const dock: KeyEntry = { scope: "everywhere", ours: "K", does: "dock" };
const dockFaces: KeyEntry = { scope: "shape", ours: "K", does: "dock faces" };
const all = [hide, bevel, batch, dock, dockFaces];

beforeEach(resetKeys);

const press = (key: string, held: Partial<KeyboardEvent> = {}) =>
  pressedKey({ key, shiftKey: false, ctrlKey: false, metaKey: false, ...held });

it("names keys as they are kept", () => {
  expect(press("h")).toBe("H");
  expect(press("H", { shiftKey: true })).toBe("Shift+H");
  expect(press("?", { shiftKey: true })).toBe("?");
  expect(press("d", { ctrlKey: true, shiftKey: true })).toBe("Ctrl+Shift+D");
  expect(press("Delete")).toBe("Del");
  expect(press("Shift", { shiftKey: true })).toBeNull();
  expect(press("ArrowUp")).toBeNull();
});

it("tells what has a key already, where both could be meant", () => {
  expect(takenBy(all, hide, "B")).toEqual([bevel, batch]);
  expect(takenBy(all, bevel, "H")).toEqual([hide]);
  expect(takenBy(all, bevel, "X")).toEqual([]);
  expect(takenBy(all, batch, "B")).toEqual([]);
  expect(takenBy(all, dock, "K")).toEqual([]);
});

it("takes a key away from what had it, and gives it back", () => {
  setKey(all, hide, "B");
  expect([keyOf("H"), keyOf("B", "shape"), keyOf("B", "slim")]).toEqual(["B", "", ""]);
  setKey(all, bevel, "B");
  expect([keyOf("H"), keyOf("B", "shape")]).toEqual(["", "B"]);
  setKey(all, hide, "H");
  expect(keyMapStore.getState().own).toEqual({ "slim:B": "" });
  resetKeys();
  expect(keyOf("B", "slim")).toBe("B");
});

it("refuses keys that mean something else", () => {
  expect(whyNotKey("Ctrl+W", "everywhere")).toMatch(/browser/);
  for (const key of ["5", " ", "?", "+"]) expect(whyNotKey(key, "slim")).not.toBeNull();
  expect(whyNotKey("V", "everywhere")).toMatch(/Shape/);
  expect(whyNotKey("Shift+V", "shape")).toMatch(/Shape/);
  expect(whyNotKey("E", "slim")).toBeNull();
  for (const key of ["Ctrl+Y", "Shift+X", "X", "-", "Del"]) expect(whyNotKey(key, "everywhere")).toBeNull();
});
