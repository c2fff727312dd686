import { describe, expect, it, vi } from "vitest";

vi.mock("../../viewport/controller", () => ({ viewport: {} }));

import { Latest } from "./featurePick";

/** A question that is answered by hand. */
function asked() {
  const places: number[] = [];
  const waiting: (() => void)[] = [];
  const latest = new Latest((x) => {
    places.push(x);
    return new Promise((answer) => waiting.push(answer));
  });
  const answer = async () => {
    waiting.shift()?.();
    await new Promise((next) => setTimeout(next, 0));
  };
  return { latest, places, answer };
}

describe("what is pointed at", () => {
  it("is asked for the latest place only", async () => {
    const { latest, places, answer } = asked();
    for (const x of [1, 2, 3]) latest.move(x, 0);
    await answer();
    await answer();
    expect(places).toEqual([1, 3]);
  });

  it("is taken where each press was, in their order, whatever is passed over on the way", async () => {
    const { latest, places, answer } = asked();
    const taken: number[] = [];
    const take = () => {
      taken.push(places.at(-1) ?? 0);
    };
    latest.move(1, 0);
    void latest.press(2, 0, false, take);
    latest.move(3, 0);
    void latest.press(4, 0, false, take);
    latest.move(5, 0);
    for (let k = 0; k < 4; k++) await answer();
    expect(taken).toEqual([2, 4]);
    expect(places).toEqual([1, 2, 4, 5]);
  });
});
