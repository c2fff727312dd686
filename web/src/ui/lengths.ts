import { type LengthUnit, settingsStore, useSettings } from "../theme/settings";

/** How many of a unit make a metre. */
const PER: Record<LengthUnit, number> = { m: 1, cm: 100, mm: 1000 };

export const unitNow = (): LengthUnit => settingsStore.getState().unit;
export const perMetre = (unit: LengthUnit): number => PER[unit];

/** What was typed in a unit as metres: the number that is written so, not one beside it. */
export const metresOf = (typed: number, per: number): number =>
  per === 1 ? typed : Number((typed / per).toPrecision(15));

/** The decimals that are as exact as some of metres are. */
export const decimals = (ofMetres: number, per: number): number => Math.max(0, ofMetres - Math.round(Math.log10(per)));

/** Metres as a number of the unit, with so many decimals as metres would have, and no less exact. */
export function lengthNumber(metres: number, digits: number, unit = unitNow()): string {
  const per = perMetre(unit);
  const [whole = "", rest] = (metres * per).toFixed(decimals(digits, per)).split(".");
  // four digits are read at a glance
  const parted = /\d{5}/.test(whole) ? whole.replace(/\B(?=(\d{3})+$)/g, "\u202f") : whole;
  return [parted.replace("-", "−"), rest].filter((part) => part !== undefined).join(".");
}

/** Some lengths and their unit: `1.20, 0.40 m`. */
export const lengths = (metres: readonly number[], digits: number, between = ", ", unit = unitNow()): string =>
  `${metres.map((v) => lengthNumber(v, digits, unit)).join(between)}\u00a0${unit}`;

/** A length and its unit. */
export const length = (metres: number, digits: number, unit = unitNow()): string => lengths([metres], digits, "", unit);

/** A length without zeros at its end. */
export const shortLength = (metres: number, digits: number, unit = unitNow()): string => {
  const text = lengthNumber(metres, digits, unit);
  return `${text.includes(".") ? text.replace(/\.?0+$/, "") : text}\u00a0${unit}`;
};

/** The unit of lengths, for what is drawn anew when it changes. */
export const useUnit = (): LengthUnit => useSettings((s) => s.unit);
