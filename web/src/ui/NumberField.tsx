import { type PointerEvent, useEffect, useId, useRef, useState } from "react";
import styled from "styled-components";
import { parted, valueIn } from "./expression";
import { decimals, perMetre, useUnit } from "./lengths";

const Row = styled.div`
  display: grid; grid-template-columns: 5.75rem minmax(0, 1fr); align-items: center; gap: 8px; min-height: 1.75rem;
  &[data-look="tight"] { grid-template-columns: 15px minmax(0, 1fr); gap: 0; border: 1px solid var(--line); border-radius: 3px;
    background: var(--field); min-height: 1.625rem; overflow: hidden; }
  &[data-look="tight"]:focus-within { border-color: var(--petrol); }
  &[data-look="under"] { grid-template-columns: minmax(0, 1fr); gap: 0; }
`;
const Label = styled.label`
  color: var(--quiet); cursor: ew-resize; touch-action: none; user-select: none; overflow: hidden; text-overflow: ellipsis;
  white-space: nowrap;
  &[data-look="tight"] { text-align: center; background: var(--sheet); border-right: 1px solid var(--line); height: 100%;
    line-height: 1.5rem; }
  &[data-look="under"] { font-size: 0.6875rem; line-height: 0.875rem; }
`;
const Box = styled.div`
  display: flex; align-items: center; border: 1px solid var(--line); border-radius: 3px; background: var(--field); min-height: 1.625rem;
  &:focus-within { border-color: var(--petrol); }
  &[data-wrong="true"] { border-color: var(--error); }
  &[data-look="tight"] { border: 0; min-height: 1.5rem; font-size: 0.7812rem; }
  &[data-look="tight"] input { padding-left: 2px; }
  &[data-look="tight"] span:empty { padding-right: 3px; }
  &[data-look="under"] span { padding: 0 4px 0 1px; }
  &[data-look="under"] input { padding-left: 3px; }
  & input { all: unset; flex: 1; min-width: 0; padding: 3px 0 3px 6px; text-align: right; cursor: text; }
  & span { color: var(--quiet); padding: 0 7px 0 3px; }
  & span:empty { padding: 0 5px 0 0; }
`;
export const Wrong = styled.p`grid-column: 1 / -1; color: var(--error); font-size: 0.75rem; line-height: 0.9375rem;`;

export interface NumberFieldProps {
  label: string;
  value: number | null;
  unit?: string;
  step?: number;
  /** Decimals that are always shown, as of metres. */
  digits?: number;
  /** The most decimals that are shown, where no digits are asked for. */
  most?: number;
  help?: string;
  /** With its label's last letter in the field, or under its label; else beside it in a column of its own. */
  look?: "tight" | "under";
  /** May be emptied: the value is then null. */
  empty?: boolean;
  error?: string;
  autoFocus?: boolean;
  /** While it is dragged or typed. */
  onPreview?: (value: number | null) => void;
  /** Several values were typed one after another: whether they suit this field and those that follow. They are taken
   * over where they are meant. */
  onSeveral?: (parts: string[], meant: boolean) => boolean;
  /** When the change is meant. */
  onCommit: (value: number | null) => void;
}

/** The most decimals that a narrow field shows. */
const NARROW = 4;

/** `per`: how much of what is shown makes one of the value. */
const written = (value: number | null, digits: number | undefined, per: number, most = 6): string => {
  if (value === null) return "";
  const of = value * per;
  let text = digits === undefined ? String(Number(of.toFixed(decimals(most, per)))) : of.toFixed(decimals(digits, per));
  if (text.length > 6) text = String(Number(text)); // zeros at the end would push the front out of the field
  // so would more digits in a narrow one; what is not typed over stays exact
  for (let k = decimals(most, per) - 1; most <= NARROW && text.length > 6 && k >= 2; k--) {
    text = String(Number(of.toFixed(k)));
  }
  return text.replace("-", "−");
};

/** A number, lengths in the unit that a person has chosen: typed with unit or expression, dragged sideways on its label, stepped with the arrow keys. */
export function NumberField(props: NumberFieldProps) {
  const {
    label,
    value,
    step = 1,
    digits,
    most,
    help,
    look,
    empty,
    error,
    autoFocus,
    onPreview,
    onSeveral,
    onCommit,
  } = props;
  const chosen = useUnit();
  const unit = props.unit === "m" ? chosen : props.unit;
  const per = props.unit === "m" ? perMetre(chosen) : 1;
  const id = useId();
  const [text, setText] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  const drag = useRef<{ x: number; value: number; moved: boolean } | null>(null);
  const now = useRef(value);
  // a preview may come back as the value: what counts as a change is told from where the edit began
  const began = useRef(value);
  if (text === null && !drag.current) {
    now.current = value;
    began.current = value;
  }
  useEffect(() => {
    if (autoFocus) input.current?.select();
  }, [autoFocus]);
  const valueFrom = (entry: string): number | null => {
    // what reads as before is the value as it was, however it was rounded to be shown
    if (entry === written(began.current, digits, per, most)) return began.current;
    return valueIn(entry, props.unit);
  };
  const typed = text === null ? value : text.trim() === "" && empty ? null : valueFrom(text);
  const parts = text !== null && typed === null ? parted(text) : [];
  const several = parts.length > 1 && onSeveral?.(parts, false) === true;
  const wrong = text !== null && typed === null && !several && !(empty && text.trim() === "");
  const finish = (next: number | null) => {
    if (next !== began.current) onCommit(next);
    else if (value !== began.current) onPreview?.(next);
  };
  const commit = () => {
    if (text === null) return;
    setText(null);
    if (several) onSeveral?.(parts, true);
    else finish(wrong ? began.current : typed);
  };
  const factor = (event: { shiftKey: boolean; altKey: boolean }) => (event.shiftKey ? 10 : event.altKey ? 0.1 : 1);
  const nudge = (by: number) => {
    const base = typed ?? value ?? 0;
    const next = Number((base + by).toFixed(9));
    setText(written(next, digits, per, most));
    onPreview?.(next);
  };
  const down = (event: PointerEvent<HTMLLabelElement>) => {
    if (event.button !== 0) return;
    event.currentTarget.setPointerCapture(event.pointerId);
    drag.current = { x: event.clientX, value: value ?? 0, moved: false };
    if (text === null) began.current = value;
  };
  const move = (event: PointerEvent<HTMLLabelElement>) => {
    const from = drag.current;
    if (!from) return;
    const steps = Math.round((event.clientX - from.x) / 6);
    if (steps === 0 && !from.moved) return;
    from.moved = true;
    const next = Number((from.value + steps * step * factor(event)).toFixed(9));
    if (next === now.current) return;
    now.current = next;
    setText(written(next, digits, per, most));
    onPreview?.(next);
  };
  const up = () => {
    const from = drag.current;
    drag.current = null;
    if (!from?.moved) return;
    setText(null);
    finish(now.current);
  };
  const shownError =
    error ?? (wrong ? `${label} is not a number${unit ? ` in ${unit}` : ""}; nothing was changed.` : "");
  return (
    <Row data-look={look} title={help}>
      <Label
        htmlFor={id}
        data-look={look}
        onPointerDown={down}
        onPointerMove={move}
        onPointerUp={up}
        onPointerCancel={() => {
          drag.current = null;
          setText(null);
          finish(began.current);
        }}
        onClick={(event) => drag.current?.moved && event.preventDefault()}
      >
        {look === "tight" ? label.at(-1) : label}
      </Label>
      <Box data-wrong={wrong || undefined} data-look={look}>
        <input
          ref={input}
          id={id}
          aria-label={label}
          aria-invalid={wrong || undefined}
          inputMode="decimal"
          autoComplete="off"
          value={text ?? written(value, digits, per, most)}
          onFocus={(event) => event.currentTarget.select()}
          onChange={(event) => {
            setText(event.currentTarget.value);
            const next = valueFrom(event.currentTarget.value);
            if (next !== null) onPreview?.(next);
          }}
          onBlur={commit}
          onKeyDown={(event) => {
            if (event.key === "Enter") commit();
            else if (event.key === "Escape" && text !== null) {
              event.stopPropagation();
              setText(null);
              onPreview?.(began.current);
            } else if (event.key === "ArrowUp" || event.key === "ArrowDown") {
              event.preventDefault();
              nudge((event.key === "ArrowUp" ? 1 : -1) * step * factor(event));
            }
          }}
        />
        <span>{look === "tight" ? "" : (unit ?? "")}</span>
      </Box>
      {shownError && look !== "tight" && <Wrong role="alert">{shownError}</Wrong>}
    </Row>
  );
}
