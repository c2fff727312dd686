import { describe, expect, it } from "vitest";
import { course, group, path, placement, sceneOf } from "../testing/rows";
import { goingAlong, insideOf, isHidden, isLocked, over, picked, reach, under, withoutFollowers } from "./tree";

const { things } = sceneOf(
  group("yard", { locked: true }),
  group("stack", { group: "yard", hidden: true }),
  placement("crate", { group: "stack" }),
  placement("barrel", { group: "yard" }),
  placement("post"),
  placement("stray", { group: "gone" }),
);
const ids = (some: readonly { id: string }[]) => some.map((t) => t.id);

describe("the order of a level's things", () => {
  it("is by groups; what is in a group that is not there is in the level itself", () => {
    expect(ids(insideOf(things, null))).toEqual(["yard", "post", "stray"]);
    expect(ids(insideOf(things, "yard"))).toEqual(["stack", "barrel"]);
  });

  it("reaches down from groups, each thing once, and up from things", () => {
    expect(ids(under(things, ["yard", "crate", "nothing"])).sort()).toEqual(["barrel", "crate", "stack", "yard"]);
    expect(reach(things, ["stack"])).toEqual(new Set(["stack", "crate"]));
    const crate = things.get("crate");
    expect(crate && ids(over(things, crate))).toEqual(["stack", "yard"]);
  });

  it("carries along what is laid along the paths that are carried", () => {
    const quay = sceneOf(
      group("yard"),
      path("line", [0, 0, 0], [4, 0, 0]),
      { ...path("wall", [0, 0, 0], [4, 0, 0]), group: "yard" },
      course("posts", "line"),
      course("stones", "wall"),
    ).things;
    expect(goingAlong(quay, ["line"])).toEqual(new Set(["line", "posts"]));
    expect(goingAlong(quay, ["yard"])).toEqual(new Set(["yard", "wall", "stones"]));
    expect(goingAlong(quay, ["posts"])).toEqual(new Set(["posts"]));
    const rows = (...some: string[]) => some.flatMap((id) => quay.get(id) ?? []);
    expect(ids(withoutFollowers(quay, rows("line", "posts", "stones")))).toEqual(["line", "stones"]);
    expect(ids(withoutFollowers(quay, rows("yard", "stones")))).toEqual(["yard"]);
    expect(ids(withoutFollowers(quay, rows("posts")))).toEqual(["posts"]);
  });

  it("hands marks down", () => {
    expect(["yard", "stack", "crate", "barrel"].map((id) => isHidden(things, id))).toEqual([false, true, true, false]);
    expect(["yard", "stack", "crate", "barrel", "post"].map((id) => isLocked(things, id))).toEqual([
      true,
      true,
      true,
      true,
      false,
    ]);
  });

  it("makes a click mean the outermost group within the one that is worked on", () => {
    expect(picked(things, "crate", null)).toBe("yard");
    expect(picked(things, "crate", "yard")).toBe("stack");
    expect(picked(things, "crate", "stack")).toBe("crate");
    expect(picked(things, "post", "yard")).toBeNull();
    expect(picked(things, "post", null)).toBe("post");
    expect(picked(things, "nothing", null)).toBeNull();
  });

  it("ends where groups are said to be in each other", () => {
    const round = sceneOf(group("a", { group: "b" }), group("b", { group: "a" })).things;
    const a = round.get("a");
    expect(a && ids(over(round, a))).toEqual(["b", "a"]);
    expect(ids(under(round, ["a"]))).toEqual(["a"]);
    expect(ids(insideOf(round, null))).toEqual(["a", "b"]);
  });
});
