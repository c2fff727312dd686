import styled from "styled-components";
import { type Field, fieldsOf, matters } from "../api/fields";
import { useShapes } from "../api/queries";
import type { ShapeValues } from "../api/types";
import { OneField } from "./OneField";

const Trios = styled.div`display: grid; grid-template-columns: repeat(3, minmax(0, 1fr)); gap: 4px 6px; align-items: end;`;

interface ShapeFieldsProps {
  shape: ShapeValues;
  errors?: Record<string, string>;
  /** Fields that are left out. */
  without?: readonly string[];
  focus?: boolean;
  /** Numbers three to a line. */
  compact?: boolean;
  onPreview: (shape: ShapeValues) => void;
  onCommit: (shape: ShapeValues) => void;
}

/** The dimensions of a shape, made from its description on the server. */
export function ShapeFields({
  shape,
  errors = {},
  without = [],
  focus,
  compact,
  onPreview,
  onCommit,
}: ShapeFieldsProps) {
  const info = useShapes().find((i) => i.kind === shape.kind);
  if (!info) return null;
  const fields = fieldsOf(info).filter((f) => f.kind !== "none" && matters(f, shape) && !without.includes(f.name));
  const draw = (field: Field, look?: "under") => (
    <OneField
      key={field.name}
      field={field}
      value={shape[field.name]}
      error={errors[`shape.${field.name}`]}
      focus={focus === true && field === fields[0]}
      look={look}
      onPreview={(v) => onPreview({ ...shape, [field.name]: v })}
      onCommit={(v) => onCommit({ ...shape, [field.name]: v })}
    />
  );
  if (!compact) return fields.map((f) => draw(f));
  const numbers = fields.filter((f) => f.kind === "number" || f.kind === "whole");
  return (
    <>
      <Trios>{numbers.map((f) => draw(f, "under"))}</Trios>
      {fields.filter((f) => !numbers.includes(f)).map((f) => draw(f))}
    </>
  );
}
