import { describe, expect, it } from "vitest";
import { type Corner, promptPlace } from "./promptPlace";

const size = { width: 200, height: 26 };
const room = { width: 800, height: 600 };
const usual: Corner = { right: true, below: true };
const still = { x: 0, y: 0 };

describe("the prompt", () => {
  it("stands right of and below the pointer", () => {
    const { at, corner } = promptPlace({ x: 300, y: 300 }, size, room, still, [], usual);
    expect(corner).toEqual(usual);
    expect(at.x).toBeGreaterThan(300);
    expect(at.y).toBeGreaterThan(300);
  });

  it("is out of the way of the hand", () => {
    const { at } = promptPlace({ x: 300, y: 300 }, size, room, { x: 40, y: 8 }, [], usual);
    for (const ahead of [40, 90, 150]) {
      const y = 300 + (ahead * 8) / 40.8;
      const x = 300 + (ahead * 40) / 40.8;
      const covered = x > at.x && x < at.x + size.width && y > at.y && y < at.y + size.height;
      expect(covered).toBe(false);
    }
  });

  it("covers nothing that is pointed at", () => {
    const landing = { x: 380, y: 330 };
    const { at } = promptPlace({ x: 300, y: 300 }, size, room, still, [landing], usual);
    const covered = landing.x > at.x && landing.x < at.x + size.width && landing.y > at.y && landing.y < at.y + 26;
    expect(covered).toBe(false);
  });

  it("stays within the view, and at its corner where nothing speaks against it", () => {
    const { at, corner } = promptPlace({ x: 780, y: 590 }, size, room, still, [], usual);
    expect(at.x + size.width).toBeLessThanOrEqual(room.width);
    expect(at.y + size.height).toBeLessThanOrEqual(room.height);
    expect(corner).toEqual({ right: false, below: false });
    expect(promptPlace({ x: 400, y: 300 }, size, room, still, [], corner).corner).toEqual(corner);
  });
});
