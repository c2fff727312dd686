import { metresOf, perMetre, unitNow } from "./lengths";

/** Units of length that may follow a number, in metres. */
const LENGTHS: Record<string, number> = { m: 1, cm: 0.01, mm: 0.001, km: 1000, in: 0.0254, ft: 0.3048 };

/**
 * The value of what was typed, in the field's own unit: numbers, + − × * / ( ), a unit after a number, `,` or `.` as the
 * decimal point. Null when it is no complete expression.
 */
export function evaluate(text: string, unit?: string): number | null {
  const clean = text.trim().replace(/−/g, "-").replace(/×/g, "*").replace(/÷/g, "/");
  const tokens = clean.match(/\d+(?:[.,]\d*)?(?:e[+-]?\d+)?|[.,]\d+|[a-z°%]+|[-+*/()]|\S/gi);
  if (!tokens) return null;
  let at = 0;
  const sum = (): number | null => {
    let left = product();
    while (left !== null && (tokens[at] === "+" || tokens[at] === "-")) {
      const sign = tokens[at++] === "+" ? 1 : -1;
      const right = product();
      left = right === null ? null : left + sign * right;
    }
    return left;
  };
  const product = (): number | null => {
    let left = factor();
    while (left !== null && (tokens[at] === "*" || tokens[at] === "/")) {
      const times = tokens[at++] === "*";
      const right = factor();
      left = right === null ? null : times ? left * right : left / right;
    }
    return left;
  };
  const factor = (): number | null => {
    const token = tokens[at++];
    if (token === undefined) return null;
    if (token === "-" || token === "+") {
      const value = factor();
      return value === null ? null : token === "-" ? -value : value;
    }
    if (token === "(") {
      const inner = sum();
      return tokens[at++] === ")" ? inner : null;
    }
    if (!/^[\d.,]/.test(token)) return null;
    const value = Number(token.replace(",", "."));
    const suffix = tokens[at]?.toLowerCase();
    if (suffix === undefined || !/^[a-z°%]/.test(suffix)) return value;
    at++;
    const [of, own] = [LENGTHS[suffix], LENGTHS[unit ?? ""]];
    if (of !== undefined && own !== undefined) return suffix === unit ? value : (value * of) / own;
    return suffix === unit ? value : null;
  };
  const value = sum();
  return value !== null && at === tokens.length && Number.isFinite(value) ? value : null;
}

/** The value of what was typed into a field: lengths in metres, in whatever unit they are typed. Null for no number. */
export function valueIn(text: string, unit?: string): number | null {
  if (unit !== "m") return evaluate(text, unit);
  const chosen = unitNow();
  const value = evaluate(text, chosen);
  return value === null ? null : metresOf(value, perMetre(chosen));
}

/** The values that were typed one after another, parted by blanks or semicolons; one where nothing parts them. */
export const parted = (text: string): string[] =>
  text
    .trim()
    .split(/\s*;\s*|\s+/)
    .filter(Boolean);

/**
 * Several values parted by blanks, semicolons or ", "; null when one is wrong or nothing is there. Lengths are given in
 * metres, and typed in the unit that a person has chosen; `lengths` says which of the values are some.
 */
export function numbersIn(text: string, lengths: (at: number) => boolean = () => true): number[] | null {
  const parts = text
    .trim()
    .split(/\s*;\s*|,\s+|\s+/)
    .filter(Boolean);
  const values = parts.map((part, k) =>
    lengths(k) ? valueIn(part, "m") : (evaluate(part, "°") ?? evaluate(part, "%")),
  );
  return parts.length && values.every((v) => v !== null) ? (values as number[]) : null;
}
