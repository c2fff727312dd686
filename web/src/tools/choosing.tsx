import type { ReactNode } from "react";
import styled from "styled-components";
import type { Field } from "../api/fields";
import { useLevel } from "../state/level";
import { Button, Picker } from "../ui/controls";
import { Labelled } from "../ui/Labelled";

const Toggles = styled.div`display: flex; gap: 4px; & button { flex: 1; min-width: 0; padding: 2px; }`;

interface ChoosingProps {
  field: Field;
  value: unknown;
  wrong: ReactNode;
  onCommit: (value: unknown) => void;
}

/** A thing of the level, or none. */
export function OneThing({ field, value, wrong, onCommit, none }: ChoosingProps & { none: string }) {
  const things = useLevel((s) => s.scene.things);
  const found = [...things.values()].filter((t) => t.kind === field.kind);
  return (
    <Labelled title={field.help}>
      <span>{field.title}</span>
      <Picker
        label={field.title}
        value={String(value ?? "")}
        options={[{ value: "", label: none }, ...found.map((t) => ({ value: t.id, label: t.name }))]}
        onChange={(id) => onCommit(id || null)}
      />
      {wrong}
    </Labelled>
  );
}

interface SomeOfProps extends ChoosingProps {
  options: readonly string[];
  name: (option: string) => string;
  /** What a reader of the screen says instead of the name. */
  spoken?: (option: string) => string;
}

/** Any number of a few options, side by side. */
export function SomeOf({ field, value, wrong, onCommit, options, name, spoken }: SomeOfProps) {
  const chosen: unknown[] = Array.isArray(value) ? value : [];
  return (
    <Labelled title={field.help}>
      <span>{field.title}</span>
      <Toggles role="group" aria-label={field.title}>
        {options.map((option) => (
          <Button
            key={option}
            aria-label={spoken?.(option)}
            aria-pressed={chosen.includes(option)}
            data-main={chosen.includes(option)}
            onPress={() =>
              onCommit(chosen.includes(option) ? chosen.filter((o) => o !== option) : [...chosen, option].sort())
            }
          >
            {name(option)}
          </Button>
        ))}
      </Toggles>
      {wrong}
    </Labelled>
  );
}
