/** Digits in threes with thin spaces. */
export const grouped = (n: number): string => n.toLocaleString("en").replace(/,/g, "\u202f");

/** A number with two digits, rounded up: what is told of it is not exceeded. */
export function atMost(value: number): string {
  if (!(value > 0)) return "0";
  const step = 10 ** (Math.floor(Math.log10(value)) - 1);
  // what is a step exactly, but for the last bits, is not the next one
  return `${Number((Math.ceil(value / step - 1e-9) * step).toPrecision(2))}`;
}

/** A number with its word: 1 file, 12 files. */
export const counted = (n: number, one: string, plural: string): string => `${grouped(n)} ${n === 1 ? one : plural}`;
