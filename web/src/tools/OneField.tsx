import type { Field } from "../api/fields";
import type { Vector } from "../api/types";
import { useLevel } from "../state/level";
import { OnOff, Picker, Segments } from "../ui/controls";
import { AnchorField, type AnchorValue, VectorField } from "../ui/fields";
import { Labelled } from "../ui/Labelled";
import { NumberField, Wrong } from "../ui/NumberField";
import { TextField } from "../ui/TextField";
import { FeatureField, type Picked, type Place, PlaceField } from "./FeatureField";

interface OneFieldProps {
  field: Field;
  value: unknown;
  error?: string;
  focus: boolean;
  onPreview: (value: unknown) => void;
  onCommit: (value: unknown) => void;
}

const word = (option: string): string => {
  const text = option.replace(/_/g, " ");
  return /^-?[xyz]$/.test(text) ? text.toUpperCase().replace("-", "−") : text.charAt(0).toUpperCase() + text.slice(1);
};

/** One field, by its kind. */
export function OneField({ field, value, error, focus, onPreview, onCommit }: OneFieldProps) {
  const pieces = useLevel((s) => s.scene.pieces);
  const things = useLevel((s) => s.scene.things);
  const wrong = error && <Wrong role="alert">{error}</Wrong>;
  switch (field.kind) {
    case "number":
    case "whole":
      return (
        <NumberField
          label={field.title}
          value={typeof value === "number" ? value : null}
          unit={field.unit}
          step={field.step ?? (field.kind === "whole" ? 1 : 0.1)}
          help={field.help}
          empty={field.empty}
          error={error}
          autoFocus={focus}
          onPreview={onPreview}
          onCommit={onCommit}
        />
      );
    case "vector":
      return (
        <VectorField
          label={field.title}
          aside={field.unit === "°" ? "degrees" : field.unit}
          help={field.help}
          value={Array.isArray(value) ? (value as Vector) : [0, 0, 0]}
          step={field.step ?? 0.5}
          error={error}
          onPreview={onPreview}
          onCommit={onCommit}
        />
      );
    case "anchor":
      return <AnchorField label={field.title} value={value as AnchorValue} onChange={onCommit} />;
    case "switch":
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <OnOff label={field.title} value={value === true} onChange={onCommit} />
        </Labelled>
      );
    case "choice": {
      const options = field.options.map((o) => ({ value: o, label: word(o) }));
      const length = options.reduce((sum, o) => sum + o.label.length + 2, 0);
      const Choice = options.length <= 3 && length <= 21 ? Segments : Picker;
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <Choice label={field.title} value={String(value)} options={options} onChange={onCommit} wide />
          {wrong}
        </Labelled>
      );
    }
    case "piece": {
      const options = [...pieces.values()].map((p) => ({ value: p.id, label: p.name }));
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <Picker label={field.title} value={String(value)} options={options} onChange={onCommit} />
          {wrong}
        </Labelled>
      );
    }
    case "group": {
      const groups = [...things.values()].filter((t) => t.kind === "group");
      const options = [{ value: "", label: "No group" }, ...groups.map((g) => ({ value: g.id, label: g.name }))];
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <Picker
            label={field.title}
            value={String(value ?? "")}
            options={options}
            onChange={(id) => onCommit(id || null)}
          />
          {wrong}
        </Labelled>
      );
    }
    case "feature":
      return <FeatureField label={field.title} value={(value as Picked | null) ?? null} onChange={onCommit} />;
    case "feature at":
      return (
        <>
          <PlaceField label={field.title} value={(value as Place | null) ?? null} onChange={onCommit} />
          {wrong}
        </>
      );
    case "words":
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <TextField
            label={field.title}
            value={Array.isArray(value) ? value.join(", ") : ""}
            focus={focus}
            onCommit={(text) =>
              onCommit(
                text
                  .split(",")
                  .map((w) => w.trim())
                  .filter(Boolean),
              )
            }
          />
          {wrong}
        </Labelled>
      );
    case "text":
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <TextField label={field.title} value={String(value ?? "")} focus={focus} onCommit={onCommit} />
          {wrong}
        </Labelled>
      );
    default:
      return null;
  }
}
