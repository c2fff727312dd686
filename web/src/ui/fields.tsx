import styled from "styled-components";
import { valueIn } from "./expression";
import { useUnit } from "./lengths";
import { NumberField, Wrong } from "./NumberField";
import type { Vector } from "./vector";

const Three = styled.div`
  display: grid; grid-template-columns: 3.5rem repeat(3, minmax(0, 1fr)); gap: 4px; align-items: center;
  & > span { color: var(--quiet); line-height: 0.875rem; overflow-wrap: anywhere; }
`;

interface VectorFieldProps {
  label: string;
  hint?: string;
  value: Vector;
  step?: number;
  digits?: number;
  most?: number;
  unit?: string;
  help?: string;
  error?: string;
  onPreview?: (value: Vector) => void;
  /** Several values were typed into the field of an axis, see NumberField; where it is left out, they are for the axes
   * from that one on. */
  onSeveral?: (axis: number, parts: string[], meant: boolean) => boolean;
  onCommit: (value: Vector) => void;
}

/** Three numbers with their axes' letters. */
export function VectorField({
  label,
  hint,
  value,
  step,
  digits,
  most,
  unit,
  help,
  error,
  onPreview,
  onSeveral,
  onCommit,
}: VectorFieldProps) {
  const chosen = useUnit();
  const ownAxes = (axis: number, parts: string[], meant: boolean): boolean => {
    const numbers = parts.map((part) => valueIn(part, unit));
    if (axis + numbers.length > value.length || numbers.includes(null)) return false;
    if (meant) onCommit(value.map((old, k) => numbers[k - axis] ?? old) as Vector);
    return true;
  };
  const put = (k: number, v: number | null): Vector => value.map((old, j) => (j === k ? (v ?? 0) : old)) as Vector;
  return (
    <Three
      role="group"
      aria-label={label}
      title={
        [help, hint, unit === "m" ? chosen : unit === "°" ? "degrees" : unit].filter(Boolean).join(", ") || undefined
      }
    >
      <span aria-hidden>{label}</span>
      {["X", "Y", "Z"].map((axis, k) => (
        <NumberField
          key={axis}
          look="tight"
          label={`${label} ${axis}`}
          value={value[k] ?? 0}
          unit={unit}
          step={step}
          digits={digits}
          most={most}
          onPreview={onPreview && ((v) => onPreview(put(k, v)))}
          onSeveral={(parts, meant) => (onSeveral ?? ownAxes)(k, parts, meant)}
          onCommit={(v) => onCommit(put(k, v))}
        />
      ))}
      {error && <Wrong role="alert">{error}</Wrong>}
    </Three>
  );
}

const Sheets = styled.div`
  display: grid; gap: 4px;
  & > header { color: var(--quiet); }
  & > div { display: grid; grid-template-columns: repeat(3, 1fr); gap: 8px; }
  & figure { margin: 0; display: grid; gap: 3px; justify-items: center; }
  & figcaption { color: var(--quiet); font-size: 0.6875rem; line-height: 0.875rem; }
  & figure > div { display: grid; grid-template-columns: repeat(3, 18px); border: 1px solid var(--line); border-radius: 3px;
    background: var(--field); padding: 2px; }
  & button { all: unset; width: 18px; height: 18px; display: grid; place-items: center; cursor: pointer; border-radius: 2px; }
  & button::before { content: ""; width: 4px; height: 4px; border-radius: 1px; background: var(--line-strong); }
  & button:hover::before { background: var(--ochre); width: 8px; height: 8px; }
  & button[aria-pressed="true"]::before { background: var(--petrol); width: 10px; height: 10px; }
  & button:focus-visible { outline: 2px solid var(--petrol); }
`;

export interface AnchorValue {
  x: string;
  y: string;
  z: string;
}

const ALONG = ["low", "middle", "high"] as const;
const LEVELS = [
  { y: "high", word: "Top" },
  { y: "middle", word: "Middle" },
  { y: "low", word: "Base" },
] as const;

/** What one of the 27 places of a box is called. */
export function anchorName({ x, y, z }: AnchorValue): string {
  const level = LEVELS.find((l) => l.y === y)?.word ?? "";
  const sides = [x === "low" ? "−X" : x === "high" ? "+X" : "", z === "low" ? "−Z" : z === "high" ? "+Z" : ""].filter(
    Boolean,
  );
  return sides.length ? `${level}, ${sides.length === 2 ? "corner" : "side"} ${sides.join(" ")}` : `${level}, centre`;
}

/** The 27 places of a bounding box as three plans: top, middle and base. */
export function AnchorField({
  label,
  value,
  onChange,
}: {
  label: string;
  value: AnchorValue;
  onChange: (v: AnchorValue) => void;
}) {
  return (
    <Sheets role="group" aria-label={label}>
      <header>
        {label} · {anchorName(value)}
      </header>
      <div>
        {LEVELS.map(({ y, word }) => (
          <figure key={y}>
            <div>
              {ALONG.flatMap((z) =>
                ALONG.map((x) => {
                  const name = anchorName({ x, y, z });
                  return (
                    <button
                      key={x + z}
                      type="button"
                      aria-label={name}
                      title={name}
                      aria-pressed={value.x === x && value.y === y && value.z === z}
                      onClick={() => onChange({ x, y, z })}
                    />
                  );
                }),
              )}
            </div>
            <figcaption>{word}</figcaption>
          </figure>
        ))}
      </div>
    </Sheets>
  );
}
