/** Numbers that can be read and written by their places. */
export interface Writable {
  readonly length: number;
  [place: number]: number;
}

/**
 * Points by the affine matrix at a place of an array, into another array from a place on; plainly, as there are
 * hundreds of thousands.
 */
export function toWorld(points: Float32Array, m: ArrayLike<number>, n: number, out: Writable, from: number): void {
  const a = m[n] as number;
  const b = m[n + 1] as number;
  const c = m[n + 2] as number;
  const d = m[n + 4] as number;
  const e = m[n + 5] as number;
  const f = m[n + 6] as number;
  const g = m[n + 8] as number;
  const h = m[n + 9] as number;
  const i = m[n + 10] as number;
  const x = m[n + 12] as number;
  const y = m[n + 13] as number;
  const z = m[n + 14] as number;
  for (let j = 0; j < points.length; j += 3) {
    const u = points[j] as number;
    const v = points[j + 1] as number;
    const w = points[j + 2] as number;
    out[from + j] = a * u + d * v + g * w + x;
    out[from + j + 1] = b * u + e * v + h * w + y;
    out[from + j + 2] = c * u + f * v + i * w + z;
  }
}
