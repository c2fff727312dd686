import { Matrix4, Quaternion, Vector3 } from "three";
import { describe, expect, it } from "vitest";
import type { Turn } from "../../api/types";
import { itemMatrix } from "../../scene/pieces/entries";
import { group, placement, sceneOf } from "../../testing/rows";
import { placeIn, type SizeBox, sizeBox, sizeMatrix } from "./sizeBox";

const turn = new Quaternion().setFromAxisAngle(new Vector3(1, 2, 3).normalize(), 0.7).toArray() as Turn;
const crate = placement("crate", { position: [4, 1, -2], turn, size: [2, -1, 0.5], group: "yard" });
const scene = sceneOf(group("yard"), crate, placement("post", { position: [0, 3, 0], group: "yard" }));

function boxOfOne(): SizeBox {
  const box = sizeBox(scene, ["crate"]);
  if (!box) throw new Error("no box");
  return box;
}

describe("the box that is sized", () => {
  it("lies along the axes of one placement, with its corners where the piece has them", () => {
    const box = boxOfOne();
    expect(box.axes).toBe("piece");
    const piece = scene.pieces.get("piece-1");
    const matrix = piece && itemMatrix([...crate.position, ...crate.turn, ...crate.size], piece, new Matrix4());
    const corners = [0, 1, 2, 3, 4, 5, 6, 7].map((k) => new Vector3(k & 1, (k >> 1) & 1, (k >> 2) & 1));
    for (const share of corners) {
      const at = placeIn(box, share);
      const nearest = Math.min(
        ...corners.map((c) =>
          c
            .clone()
            .applyMatrix4(matrix ?? new Matrix4())
            .distanceTo(at),
        ),
      );
      expect(nearest).toBeLessThan(1e-12);
    }
  });

  it("lies along the axes of a group, and the world's round several things", () => {
    const half = new Quaternion().setFromAxisAngle(new Vector3(0, 0, 1), Math.PI / 2).toArray() as Turn;
    const turned = sceneOf(group("yard", { turn: half }), placement("post", { position: [0, 3, 0], group: "yard" }));
    const box = sizeBox(turned, ["yard"]);
    expect(box?.axes).toBe("piece");
    // the world's Y is the group's X
    expect(box?.high.x).toBeCloseTo(4, 12);
    expect(box?.even).toBe(true);
    expect(placeIn(box as SizeBox, new Vector3(1, 1, 1)).y).toBeCloseTo(4, 12);
    const both = sizeBox(scene, ["crate", "post"]);
    expect(both?.axes).toBe("world");
    expect(both?.high.y).toBeCloseTo(4, 12);
    expect(sizeBox(scene, ["nothing"])).toBeNull();
  });

  it("offers sides only where nothing in it would be skewed", () => {
    expect(boxOfOne().even).toBe(true);
    expect(sizeBox(scene, ["yard"])?.even).toBe(false);
    expect(sizeBox(scene, ["crate", "post"])?.even).toBe(false);
    expect(sizeBox(scene, ["post"])?.even).toBe(true);
  });

  it("grows by factors along its own axes, and what it is sized about stays", () => {
    const box = boxOfOne();
    const about = placeIn(box, new Vector3(0, 0, 0));
    const by = sizeMatrix(box, new Vector3(3, 1, 1), about);
    expect(about.clone().applyMatrix4(by).distanceTo(about)).toBeLessThan(1e-12);
    const end = placeIn(box, new Vector3(1, 1, 1));
    const wanted = placeIn(box, new Vector3(3, 1, 1));
    expect(end.applyMatrix4(by).distanceTo(wanted)).toBeLessThan(1e-12);
  });
});
