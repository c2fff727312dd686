import type { Params } from "./types";

/** Whatever has a JSON schema of its fields: a tool, a shape. */
export interface Described {
  fields: unknown;
}

/** A field of a tool, read from its JSON schema. */
export interface Field {
  name: string;
  title: string;
  help: string;
  kind:
    | "number"
    | "whole"
    | "text"
    | "words"
    | "switch"
    | "choice"
    | "vector"
    | "anchor"
    | "piece"
    | "pieces"
    | "course"
    | "path"
    | "axes"
    | "seed"
    | "rungs"
    | "sides"
    | "group"
    | "shape"
    | "feature"
    | "feature at"
    | "none";
  options: string[];
  unit?: string;
  step?: number;
  empty: boolean;
  /** The heading under which it is folded away; none for what is always in sight. */
  section?: string;
  when: Record<string, string[]>;
}

interface Schema {
  $ref?: string;
  anyOf?: Schema[];
  type?: string;
  enum?: string[];
  title?: string;
  description?: string;
  prefixItems?: unknown[];
  properties?: Record<string, Schema>;
  $defs?: Record<string, Schema>;
  default?: unknown;
  unit?: string;
  step?: number;
  widget?: string;
  section?: string;
  when?: Record<string, string[]>;
}

const WIDGETS = [
  "anchor",
  "piece",
  "pieces",
  "course",
  "path",
  "axes",
  "seed",
  "rungs",
  "sides",
  "group",
  "shape",
  "feature",
  "feature at",
  "words",
  "none",
] as const;

const kindOf = (schema: Schema, widget: string | undefined): Field["kind"] => {
  if (widget && (WIDGETS as readonly string[]).includes(widget)) return widget as Field["kind"];
  if (widget === "points") return "none";
  if (schema.prefixItems) return "vector";
  if (schema.enum) return "choice";
  if (schema.type === "boolean") return "switch";
  if (schema.type === "integer") return "whole";
  if (schema.type === "number") return "number";
  return schema.type === "string" ? "text" : "none";
};

/** The fields of a tool in the order of its description. */
export function fieldsOf(tool: Described): Field[] {
  const root = tool.fields as Schema;
  const resolve = (s: Schema): Schema => (s.$ref ? (root.$defs?.[s.$ref.split("/").at(-1) ?? ""] ?? s) : s);
  return Object.entries(root.properties ?? {})
    .filter(([name]) => name !== "tool" && name !== "kind")
    .map(([name, outer]) => {
      const choices = outer.anyOf?.filter((s) => s.type !== "null") ?? [];
      const inner = resolve(choices[0] ?? outer);
      return {
        name,
        title: outer.title ?? name,
        help: outer.description ?? "",
        kind: kindOf(inner, outer.widget),
        options: inner.enum ?? [],
        unit: outer.unit,
        step: outer.step,
        empty: Boolean(outer.anyOf?.some((s) => s.type === "null")),
        section: outer.section,
        when: outer.when ?? {},
      };
    });
}

/** The values that a tool starts with. */
export function defaultsOf(tool: Described): Params {
  const out: Params = {};
  for (const [name, schema] of Object.entries((tool.fields as Schema).properties ?? {})) {
    if (name !== "tool" && name !== "kind" && "default" in schema) out[name] = schema.default;
  }
  return out;
}

/** What was wrong, by field; the dimensions of a shape are fields of their own. */
export function errorsOf(problem: { fields: { field: string; text: string }[] }): Record<string, string> {
  return Object.fromEntries(
    problem.fields.map(({ field, text }) => {
      const [first = "", second] = field.split(".");
      return [first === "shape" && second ? `shape.${second}` : first, text];
    }),
  );
}

/** Whether a field matters with the other values as they are. */
export const matters = (field: Field, params: Params): boolean =>
  Object.entries(field.when).every(([name, values]) => values.includes(String(params[name])));
