import { ChevronRight } from "lucide-react";
import { Button, Disclosure, DisclosurePanel, Heading } from "react-aria-components";
import styled from "styled-components";
import { defaultsOf, type Field, fieldsOf, matters } from "../api/fields";
import type { Params, ShapeValues, ToolInfo } from "../api/types";
import { OneField, type OneFieldProps } from "./OneField";
import { runOn } from "./runOn";
import { ShapeFields } from "./ShapeFields";

const Fields = styled.div`display: grid; gap: 6px;`;
const Folded = styled(Disclosure)`
  border-top: 1px solid var(--line);
  & h3 { margin: 0; }
  & h3 button {
    all: unset; display: flex; align-items: center; gap: 4px; width: 100%; padding: 4px 0; cursor: pointer; color: var(--quiet);
    font-size: 0.75rem; font-weight: 600;
  }
  & h3 button:focus-visible { outline: 2px solid var(--petrol); outline-offset: -2px; }
  & h3 svg { transition: transform 120ms; }
  &[data-expanded] h3 svg { transform: rotate(90deg); }
  & h3 span { margin-left: auto; font-weight: 400; }
  & [role="group"] > div { padding: 2px 0 6px; }
`;
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

const same = (a: unknown, b: unknown): boolean => JSON.stringify(a ?? null) === JSON.stringify(b ?? null);

/** A tool's settings, made from its description on the server; those of a section are folded away under its name. */
export function ToolForm(props: ToolFormProps) {
  const { tool, params, errors = {} } = props;
  const fields = fieldsOf(tool).filter((f) => f.kind !== "none" && matters(f, params) && !leftOut(f, params));
  const first = fields.find((f) => ["number", "whole", "text", "words"].includes(f.kind));
  const sections = [...new Set(fields.flatMap((f) => f.section ?? []))];
  const usual = defaultsOf(tool);
  const several = (field: Field) => (axis: number, parts: string[], meant: boolean) => {
    const next = runOn(fields, params, { name: field.name, axis }, parts);
    if (next && meant) props.onCommit(next);
    return next !== null;
  };
  const draw = (some: Field[]) =>
    some.map((f) => <AnyField key={f.name} field={f} first={f === first} onSeveral={several(f)} {...props} />);
  return (
    <Fields>
      {draw(fields.filter((f) => !f.section))}
      {sections.map((section) => {
        const within = fields.filter((f) => f.section === section);
        const set = within.filter((f) => !same(params[f.name], usual[f.name])).length;
        return (
          <Folded key={section} defaultExpanded={within.some((f) => errors[f.name])}>
            <Heading level={3}>
              <Button slot="trigger">
                <ChevronRight size={13} aria-hidden />
                {section}
                {set > 0 && <span>{set} set</span>}
              </Button>
            </Heading>
            <DisclosurePanel>
              <Fields>{draw(within)}</Fields>
            </DisclosurePanel>
          </Folded>
        );
      })}
    </Fields>
  );
}

function AnyField({
  field,
  first,
  params,
  errors = {},
  focus,
  onPreview,
  onSeveral,
  onCommit,
}: ToolFormProps & { field: Field; first: boolean; onSeveral: OneFieldProps["onSeveral"] }) {
  const preview = (v: unknown) => onPreview({ ...params, [field.name]: v });
  const commit = (v: unknown) => onCommit({ ...params, [field.name]: v });
  if (field.kind === "shape") {
    return (
      <ShapeFields shape={params[field.name] as ShapeValues} errors={errors} onPreview={preview} onCommit={commit} />
    );
  }
  return (
    <OneField
      field={field}
      value={params[field.name]}
      error={errors[field.name]}
      focus={focus === true && first}
      onPreview={preview}
      onSeveral={onSeveral}
      onCommit={commit}
    />
  );
}
