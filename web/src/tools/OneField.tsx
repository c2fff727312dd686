import type { Field } from "../api/fields";
import type { RungTarget, Vector } from "../api/types";
import { useLevel } from "../state/level";
import { Button, KeyFor, OnOff, Picker, Segments } from "../ui/controls";
import { AnchorField, type AnchorValue, VectorField } from "../ui/fields";
import { Labelled } from "../ui/Labelled";
import { NumberField, type NumberFieldProps, Wrong } from "../ui/NumberField";
import { TextField } from "../ui/TextField";
import { OneThing, SomeOf } from "./choosing";
import { FeatureField, type Picked, type Place, PlaceField } from "./FeatureField";
import { RungsField } from "./RungsField";

const AXES = ["x", "y", "z"];
const SIDES = ["-x", "+x", "-y", "+y", "-z", "+z"];

export interface OneFieldProps {
  field: Field;
  value: unknown;
  error?: string;
  focus: boolean;
  look?: NumberFieldProps["look"];
  onPreview: (value: unknown) => void;
  /** Several values were typed into the field, or into that of one of its axes, see NumberField. */
  onSeveral?: (axis: number, parts: string[], meant: boolean) => boolean;
  onCommit: (value: unknown) => void;
}

const word = (option: string): string => {
  const text = option.replace(/_/g, " ");
  return /^-?[xyz]$/.test(text) ? text.toUpperCase().replace("-", "−") : text.charAt(0).toUpperCase() + text.slice(1);
};

/** One field, by its kind. */
export function OneField({ field, value, error, focus, look, onPreview, onSeveral, onCommit }: OneFieldProps) {
  const pieces = useLevel((s) => s.scene.pieces);
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
          look={look}
          autoFocus={focus}
          onPreview={onPreview}
          onSeveral={onSeveral && ((parts, meant) => onSeveral(0, parts, meant))}
          onCommit={onCommit}
        />
      );
    case "vector":
      return (
        <VectorField
          label={field.title}
          unit={field.unit}
          help={field.help}
          value={Array.isArray(value) ? (value as Vector) : [0, 0, 0]}
          step={field.step ?? 0.5}
          error={error}
          onPreview={onPreview}
          onSeveral={onSeveral}
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
      const all = [...pieces.values()].map((p) => ({ value: p.id, label: p.name }));
      const options = field.empty ? [{ value: "", label: "None" }, ...all] : all;
      return (
        <Labelled title={field.help}>
          <span>{field.title}</span>
          <Picker
            label={field.title}
            value={String(value ?? "")}
            options={options}
            onChange={(id) => onCommit(field.empty ? id || null : id)}
          />
          {wrong}
        </Labelled>
      );
    }
    case "pieces": {
      const chosen = Array.isArray(value) ? (value as string[]) : [];
      const all = [...pieces.values()].map((p) => ({ value: p.id, label: p.name }));
      const put = (k: number, id: string) =>
        onCommit(id ? [...chosen.slice(0, k), id, ...chosen.slice(k + 1)] : chosen.filter((_, j) => j !== k));
      return (
        <>
          {[...chosen, ""].map((id, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: a pattern may hold a piece twice
            <Labelled key={k} title={field.help}>
              <span>{k === 0 ? field.title : ""}</span>
              <Picker
                label={k === 0 ? field.title : `${field.title} ${k + 1}`}
                value={id}
                options={[{ value: "", label: id ? "Take out" : "Nothing more" }, ...all]}
                onChange={(to) => put(k, to)}
              />
            </Labelled>
          ))}
          {wrong}
        </>
      );
    }
    case "course":
    case "path":
      return <OneThing field={field} value={value} wrong={wrong} onCommit={onCommit} none="None" />;
    case "group":
      return <OneThing field={field} value={value} wrong={wrong} onCommit={onCommit} none="No group" />;
    case "axes":
      return (
        <SomeOf
          field={field}
          value={value}
          wrong={wrong}
          onCommit={onCommit}
          options={AXES}
          name={(axis) => axis.toUpperCase()}
        />
      );
    case "sides":
      return (
        <SomeOf
          field={field}
          value={value}
          wrong={wrong}
          onCommit={onCommit}
          options={SIDES}
          name={(side) => side.toUpperCase().replace("-", "−")}
          spoken={(side) => `Side ${word(side.replace("+", ""))}`}
        />
      );
    case "rungs":
      return (
        <>
          <RungsField label={field.title} value={(value as RungTarget[] | undefined) ?? []} onChange={onCommit} />
          {wrong}
        </>
      );
    case "seed": {
      const seed = typeof value === "number" ? value : 0;
      return (
        <>
          <NumberField
            label={field.title}
            value={seed}
            step={1}
            help={field.help}
            error={error}
            onPreview={onPreview}
            onCommit={onCommit}
          />
          <Button onPress={() => onCommit(seed + 1)}>
            Next seed <KeyFor ours="." />
          </Button>
        </>
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
