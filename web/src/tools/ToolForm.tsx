import styled from "styled-components";
import { type Field, fieldsOf, matters } from "../api/fields";
import type { Params, ShapeValues, ToolInfo } from "../api/types";
import { OneField } from "./OneField";
import { ShapeFields } from "./ShapeFields";

const Fields = styled.div`display: grid; gap: 6px;`;
interface ToolFormProps {
  tool: ToolInfo;
  params: Params;
  errors?: Record<string, string>;
  /** The first field takes the keyboard. */
  focus?: boolean;
  onPreview: (params: Params) => void;
  onCommit: (params: Params) => void;
}

/** Three numbers that the step left as they were: there is nothing to show for them. */
const leftOut = (field: Field, params: Params): boolean => field.kind === "vector" && params[field.name] == null;

/** A tool's settings, made from its description on the server. */
export function ToolForm({ tool, params, errors = {}, focus, onPreview, onCommit }: ToolFormProps) {
  const fields = fieldsOf(tool).filter((f) => f.kind !== "none" && matters(f, params) && !leftOut(f, params));
  const first = fields.find((f) => ["number", "whole", "text", "words"].includes(f.kind));
  return (
    <Fields>
      {fields.map((field) =>
        field.kind === "shape" ? (
          <ShapeFields
            key={field.name}
            shape={params[field.name] as ShapeValues}
            errors={errors}
            onPreview={(v) => onPreview({ ...params, [field.name]: v })}
            onCommit={(v) => onCommit({ ...params, [field.name]: v })}
          />
        ) : (
          <OneField
            key={field.name}
            field={field}
            value={params[field.name]}
            error={errors[field.name]}
            focus={focus === true && field === first}
            onPreview={(v) => onPreview({ ...params, [field.name]: v })}
            onCommit={(v) => onCommit({ ...params, [field.name]: v })}
          />
        ),
      )}
    </Fields>
  );
}
