import { beforeEach, describe, expect, it } from "vitest";
import type { Placement } from "../api/types";
import { delta } from "../testing/delta";
import { piece, placement } from "../testing/rows";
import { applyDelta, levelStore, loadLevel, shown, showPreview } from "./level";
import { invertSelection, lastPiece, select, selectionStore } from "./selection";

beforeEach(() => {
  loadLevel(
    delta(4, {
      changed: [
        piece("piece-1"),
        placement("placement-1", { position: [1, 0, 0] }),
        placement("placement-2", { position: [2, 0, 0] }),
      ],
    }),
  );
  select([]);
});

describe("changes of a level", () => {
  it("are taken over in order", () => {
    expect(
      applyDelta(delta(5, { changed: [placement("placement-1", { position: [7, 0, 0] })], removed: ["placement-2"] })),
    ).toBe(true);
    const { things } = levelStore.getState().scene;
    expect([...things.keys()]).toEqual(["placement-1"]);
    expect((things.get("placement-1") as Placement).position).toEqual([7, 0, 0]);
  });

  it("are ignored when they are old or of another level", () => {
    expect(applyDelta(delta(4, { removed: ["placement-1"] }))).toBe(true);
    expect(applyDelta({ ...delta(9, { removed: ["placement-1"] }), level: "level-2" })).toBe(true);
    expect(levelStore.getState().scene.things.size).toBe(2);
  });

  it("ask for a new load when one in between was missed", () => {
    expect(applyDelta(delta(6, { removed: ["placement-1"] }))).toBe(false);
    expect(levelStore.getState().scene.things.size).toBe(2);
  });

  it("end a preview, which never touches what is saved", () => {
    showPreview(delta(4, { changed: [placement("placement-9", { position: [9, 0, 0] })], note: "a ghost" }));
    expect(shown(levelStore.getState()).things.size).toBe(3);
    expect(levelStore.getState().scene.things.size).toBe(2);
    applyDelta(delta(5));
    expect(levelStore.getState().preview).toBeNull();
    expect(levelStore.getState().previewNote).toBe("");
  });
});

describe("the selection", () => {
  const ids = () => selectionStore.getState().ids;

  it("adds, toggles, removes and inverts", () => {
    select(["placement-1"]);
    select(["placement-2"], "add");
    expect(ids()).toEqual(["placement-1", "placement-2"]);
    select(["placement-1"], "toggle");
    expect(ids()).toEqual(["placement-2"]);
    invertSelection();
    expect(ids()).toEqual(["placement-1"]);
    select(["placement-1"], "remove");
    expect(ids()).toEqual([]);
  });

  it("never mixes pieces and things", () => {
    select(["placement-1"]);
    select(["piece-1"], "add");
    expect(ids()).toEqual(["piece-1"]);
  });

  it("forgets what is gone and remembers the piece that was meant last", () => {
    select(["placement-1", "placement-2"]);
    applyDelta(delta(5, { removed: ["placement-1"] }));
    expect(ids()).toEqual(["placement-2"]);
    expect(lastPiece()).toBe("piece-1");
  });
});
