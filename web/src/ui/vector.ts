/** Three numbers: a place, a direction, angles, factors. */
export type Vector = [number, number, number];
