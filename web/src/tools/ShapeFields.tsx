import { fieldsOf, matters } from "../api/fields";
import { useShapes } from "../api/queries";
import type { ShapeValues } from "../api/types";
import { OneField } from "./OneField";

interface ShapeFieldsProps {
  shape: ShapeValues;
  errors?: Record<string, string>;
  /** Fields that are left out. */
  without?: readonly string[];
  focus?: boolean;
  onPreview: (shape: ShapeValues) => void;
  onCommit: (shape: ShapeValues) => void;
}

/** The dimensions of a shape, made from its description on the server. */
export function ShapeFields({ shape, errors = {}, without = [], focus, onPreview, onCommit }: ShapeFieldsProps) {
  const info = useShapes().find((i) => i.kind === shape.kind);
  if (!info) return null;
  const fields = fieldsOf(info).filter((f) => f.kind !== "none" && matters(f, shape) && !without.includes(f.name));
  return fields.map((field, k) => (
    <OneField
      key={field.name}
      field={field}
      value={shape[field.name]}
      error={errors[`shape.${field.name}`]}
      focus={focus === true && k === 0}
      onPreview={(v) => onPreview({ ...shape, [field.name]: v })}
      onCommit={(v) => onCommit({ ...shape, [field.name]: v })}
    />
  ));
}
