import { Crosshair } from "lucide-react";
import { useEffect } from "react";
import type { Feature } from "../api/types";
import { levelStore } from "../state/level";
import { run, runningStore, useRunning } from "../state/running";
import { Button } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { selectedRows } from "./registry";

export type Picked = Pick<Feature, "mesh" | "kind" | "index">;
const WORDS = { vertex: "Vertex", edge: "Middle of edge", face: "Centre of face" } as const;

interface FeatureFieldProps {
  label: string;
  value: Picked | null;
  onChange: (value: Picked) => void;
}

/** A vertex, edge middle or face centre of the selected piece, picked in the view. */
export function FeatureField({ label, value, onChange }: FeatureFieldProps) {
  const picking = useRunning((s) => s.now?.kind === "pick");
  const start = () => {
    const [row] = selectedRows();
    const piece = row && (row.kind === "piece" ? row.id : "piece" in row ? row.piece : null);
    run({
      kind: "pick",
      piece: piece ?? null,
      feature: null,
      done: ({ mesh, kind, index }) => onChange({ mesh, kind, index }),
    });
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: picking begins as the field appears, and ends with it
  useEffect(() => {
    if (value === null && levelStore.getState().online) start();
    return () => {
      if (runningStore.getState().now?.kind === "pick") run(null);
    };
  }, []);
  return (
    <Labelled>
      <span>{label}</span>
      <Button aria-label={label} data-picking={picking} onPress={start}>
        <Crosshair size={14} aria-hidden />
        {picking ? "Click in the view …" : value ? `${WORDS[value.kind]} ${value.index}` : "Pick in the view"}
      </Button>
    </Labelled>
  );
}
