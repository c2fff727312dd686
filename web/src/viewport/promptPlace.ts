/** A place on the screen, pixels. */
export interface Dot {
  x: number;
  y: number;
}

interface Size {
  width: number;
  height: number;
}

/** Pixels between the pointer and the prompt, and how far ahead of the hand it keeps away. */
const GAP = 20;
const AHEAD = [40, 90, 150, 220];
/** Pixels that are kept free round what is pointed at. */
const ROUND = 26;

/** The corner at which the prompt stands: right or left of the pointer, below or above it. */
export interface Corner {
  right: boolean;
  below: boolean;
}

const CORNERS: readonly Corner[] = [
  { right: true, below: true },
  { right: false, below: true },
  { right: true, below: false },
  { right: false, below: false },
];

const placeAt = (pointer: Dot, size: Size, { right, below }: Corner): Dot => ({
  x: right ? pointer.x + GAP : pointer.x - GAP - size.width,
  y: below ? pointer.y + GAP : pointer.y - GAP - size.height,
});

const within = (dot: Dot, at: Dot, size: Size, round: number): boolean =>
  dot.x > at.x - round &&
  dot.x < at.x + size.width + round &&
  dot.y > at.y - round &&
  dot.y < at.y + size.height + round;

/**
 * Where the prompt stands, so that it covers neither what is pointed at nor where the hand is going, and does not jump
 * about: it stays at its corner of the pointer unless another is clearly better.
 */
export function promptPlace(
  pointer: Dot,
  size: Size,
  room: Size,
  way: Dot,
  clear: readonly Dot[],
  before: Corner,
): { at: Dot; corner: Corner } {
  const length = Math.hypot(way.x, way.y);
  const ahead =
    length < 1 ? [] : AHEAD.map((d) => ({ x: pointer.x + (way.x / length) * d, y: pointer.y + (way.y / length) * d }));
  let best: { at: Dot; corner: Corner; cost: number } | null = null;
  for (const corner of CORNERS) {
    const at = placeAt(pointer, size, corner);
    const out =
      Math.max(0, -at.x) +
      Math.max(0, at.x + size.width - room.width) +
      Math.max(0, -at.y) +
      Math.max(0, at.y + size.height - room.height);
    let cost = out * 2;
    for (const dot of clear) if (within(dot, at, size, ROUND)) cost += 60;
    for (const dot of ahead) if (within(dot, at, size, 4)) cost += 25;
    if (corner.right !== before.right || corner.below !== before.below) cost += 20;
    if (best === null || cost < best.cost) best = { at, corner, cost };
  }
  const { at, corner } = best ?? { at: pointer, corner: before };
  const inside = (v: number, most: number) => Math.max(8, Math.min(v, most - 8));
  return {
    at: { x: inside(at.x, room.width - size.width), y: inside(at.y, room.height - size.height) },
    corner,
  };
}
