/** Digits in threes with thin spaces. */
export const grouped = (n: number): string => n.toLocaleString("en").replace(/,/g, "\u202f");
