/** Digits in threes with thin spaces. */
export const grouped = (n: number): string => n.toLocaleString("en").replace(/,/g, "\u202f");

/** A number with its word: 1 file, 12 files. */
export const counted = (n: number, one: string, many: string): string => `${grouped(n)} ${n === 1 ? one : many}`;
