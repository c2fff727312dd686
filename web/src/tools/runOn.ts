import type { Field } from "../api/fields";
import type { Params } from "../api/types";
import { valueIn } from "../ui/expression";

/** A place for one number: a field, and the axis of one that has three. */
interface Slot {
  name: string;
  axis: number;
}

const slotsOf = (field: Field): (Slot & Pick<Field, "kind" | "unit">)[] => {
  const of = { name: field.name, kind: field.kind, unit: field.unit };
  if (field.kind === "vector") return [0, 1, 2].map((axis) => ({ ...of, axis }));
  return field.kind === "number" || field.kind === "whole" ? [{ ...of, axis: 0 }] : [];
};

/**
 * The settings with several values that were typed into one field: they run on into the numbers that follow it. Null
 * where one is no number of its field, or where there are more than fields.
 */
export function runOn(fields: readonly Field[], params: Params, from: Slot, parts: readonly string[]): Params | null {
  const slots = fields.flatMap(slotsOf);
  const first = slots.findIndex((s) => s.name === from.name && s.axis === from.axis);
  const out: Params = { ...params };
  for (const [k, part] of parts.entries()) {
    const slot = first < 0 ? undefined : slots[first + k];
    const value = slot ? valueIn(part, slot.unit) : null;
    if (!slot || value === null || (slot.kind === "whole" && !Number.isInteger(value))) return null;
    if (slot.kind !== "vector") out[slot.name] = value;
    else {
      const old = Array.isArray(out[slot.name]) ? (out[slot.name] as number[]) : [0, 0, 0];
      out[slot.name] = old.map((v, axis) => (axis === slot.axis ? value : v));
    }
  }
  return out;
}
