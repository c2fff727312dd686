import { Crosshair } from "lucide-react";
import { useEffect } from "react";
import type { Feature } from "../api/types";
import { picks, startPicking } from "../hand/modes/pick";
import { levelStore, useLevel } from "../state/level";
import { placeOf } from "../state/place";
import { Button } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { selectedRows } from "./registry";

/** A feature of the selected piece's mesh. */
export type Picked = Pick<Feature, "mesh" | "kind" | "index">;
const WORDS = {
  vertex: "Vertex",
  edge: "Middle of edge",
  "on edge": "Place on an edge",
  face: "Centre of face",
  "on face": "Place on a face",
  pivot: "Pivot",
} as const;

/** A feature of something that stands in the level. */
export type Place = ReturnType<typeof placeOf>;

interface PickButtonProps {
  label: string;
  text: string | null;
  start: () => void;
}

/** Picking begins as the button appears with nothing picked yet, and ends with it. */
function PickButton({ label, text, start }: PickButtonProps) {
  const picking = picks.use() !== null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: begins once, as the field appears
  useEffect(() => {
    if (text === null && levelStore.getState().online) start();
    return () => picks.end();
  }, []);
  return (
    <Labelled>
      <span>{label}</span>
      <Button aria-label={label} data-picking={picking} onPress={start}>
        <Crosshair size={14} aria-hidden />
        {picking ? "Click in the view …" : (text ?? "Pick in the view")}
      </Button>
    </Labelled>
  );
}

interface FieldProps<T> {
  label: string;
  value: T | null;
  onChange: (value: T) => void;
}

const pick = (piece: string | null, done: (feature: Feature) => void): void =>
  startPicking({ piece, done, within: piece === null });

/** A vertex, edge middle or face centre of the selected piece, picked in the view. */
export function FeatureField({ label, value, onChange }: FieldProps<Picked>) {
  const start = () => {
    const [row] = selectedRows();
    const piece = row && (row.kind === "piece" ? row.id : "piece" in row ? row.piece : null);
    pick(piece ?? null, ({ mesh, kind, index }) => onChange({ mesh, kind, index }));
  };
  return <PickButton label={label} text={value && `${WORDS[value.kind]} ${value.index}`} start={start} />;
}

/** The same of anything that stands in the level. */
export function PlaceField({ label, value, onChange }: FieldProps<Place>) {
  const name = useLevel((s) => s.scene.things.get(value?.thing ?? "")?.name);
  const start = () => pick(null, (feature) => onChange(placeOf(feature)));
  return <PickButton label={label} text={value && `${WORDS[value.kind]} of ${name ?? "?"}`} start={start} />;
}
