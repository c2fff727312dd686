import { Plus, X } from "lucide-react";
import styled from "styled-components";
import type { RungTarget } from "../api/types";
import { Button, IconButton, Picker } from "../ui/controls";
import { NumberField } from "../ui/NumberField";

const Rows = styled.div`
  display: grid; gap: 4px;
  & > h4 { margin: 0; color: var(--quiet); font-weight: 400; }
`;
const Row = styled.div`
  display: grid; grid-template-columns: 6.5rem minmax(0, 1fr) auto; gap: 2px 4px; align-items: center;
`;
const Bare = styled.div`
  & > div { grid-template-columns: minmax(0, 1fr); }
  & label { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); }
`;
const Source = styled.div`grid-column: 1 / 3; & button { width: 100%; }`;
const From = styled.div`
  grid-column: 1 / 3;
  & > div { grid-template-columns: 6.5rem minmax(0, 1fr); gap: 4px; }
  & label { text-align: right; }
`;

const KINDS = [
  { value: "share", label: "Share" },
  { value: "count", label: "Count" },
  { value: "deviation", label: "Deviation" },
  { value: "pixels", label: "Pixels" },
];
const UNITS: Record<string, string> = { share: "%", deviation: "mm", pixels: "px" };
const USUAL: Record<RungTarget["kind"], number> = { share: 50, count: 1000, deviation: 5, pixels: 1 };

interface RungsFieldProps {
  label: string;
  value: readonly RungTarget[];
  onChange: (value: RungTarget[]) => void;
}

/** What each rung is for: a list that one can be put to and taken from. */
export function RungsField({ label, value, onChange }: RungsFieldProps) {
  const put = (k: number, part: Partial<RungTarget>) =>
    onChange(value.map((r, j) => (j === k ? { ...r, ...part } : r)));
  const last = value.at(-1);
  const more = (): RungTarget =>
    last
      ? {
          ...last,
          value: last.kind === "share" || last.kind === "count" ? Math.max(last.value / 2, 0.01) : last.value,
          distance: last.kind === "pixels" ? last.distance * 2 : last.distance,
          ...(last.kind === "deviation" && { value: last.value * 2 }),
        }
      : { kind: "share", value: 50, distance: 10, go_on: false };
  return (
    <Rows role="group" aria-label={label}>
      <h4>{label}</h4>
      {value.map((rung, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a rung is its place
        <Row key={k}>
          <Picker
            label={`Rung ${k + 1} by`}
            value={rung.kind}
            options={KINDS}
            onChange={(kind) => put(k, { kind: kind as RungTarget["kind"], value: USUAL[kind as RungTarget["kind"]] })}
          />
          <Bare>
            <NumberField
              label={`Rung ${k + 1}`}
              value={rung.value}
              unit={UNITS[rung.kind]}
              step={rung.kind === "count" ? 100 : 1}
              onPreview={() => undefined}
              onCommit={(v) => typeof v === "number" && put(k, { value: v })}
            />
          </Bare>
          <IconButton
            label={`Take rung ${k + 1} away`}
            isDisabled={value.length < 2}
            onPress={() => onChange(value.filter((_, j) => j !== k))}
          >
            <X size={14} aria-hidden />
          </IconButton>
          {k > 0 && (
            <Source>
              <Picker
                label={`Rung ${k + 1} made from`}
                value={rung.go_on ? "before" : "piece"}
                options={[
                  { value: "piece", label: "From the piece" },
                  { value: "before", label: `On from rung ${k}` },
                ]}
                onChange={(from) => put(k, { go_on: from === "before" })}
              />
            </Source>
          )}
          {rung.kind === "pixels" && (
            <From>
              <NumberField
                label={`Rung ${k + 1} from`}
                value={rung.distance}
                unit="m"
                step={1}
                onPreview={() => undefined}
                onCommit={(v) => typeof v === "number" && put(k, { distance: v })}
              />
            </From>
          )}
        </Row>
      ))}
      {value.length < 12 && (
        <Button onPress={() => onChange([...value, more()])}>
          <Plus size={14} aria-hidden /> One more rung
        </Button>
      )}
    </Rows>
  );
}
