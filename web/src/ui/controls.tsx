import { ChevronDown } from "lucide-react";
import type { ReactNode } from "react";
import {
  Button as AriaButton,
  Switch as AriaSwitch,
  ToggleButton as AriaToggle,
  type ButtonProps,
  ListBox,
  ListBoxItem,
  Popover,
  Select,
  SelectValue,
  ToggleButtonGroup,
  Tooltip,
  TooltipTrigger,
} from "react-aria-components";
import styled from "styled-components";
import { type Scope, useKeyOf } from "./keyMap";

export const Button = styled(AriaButton)`
  display: inline-flex; align-items: center; justify-content: center; gap: 6px; padding: 4px 10px; min-height: 1.75rem;
  border: 1px solid var(--line); border-radius: 3px; background: var(--panel); color: var(--ink); cursor: pointer;
  white-space: nowrap;
  &[data-hovered] { border-color: var(--line-strong); background: var(--sheet); }
  &[data-pressed] { background: var(--line); }
  &[data-disabled] { color: var(--quiet); opacity: 0.55; cursor: default; }
  &[data-main="true"] { background: var(--brick); border-color: var(--brick); color: var(--on-brick); font-weight: 580; }
  &[data-plain="true"] { border-color: transparent; background: none; padding: 4px 6px; }
  &&[data-lit="true"] { background: var(--dark); border-color: var(--dark); color: var(--on-dark); }
`;

/** A button with a picture only; its word is in its tip and its label. `keys`: the key that it has from us. */
export function IconButton({
  label,
  keys,
  pressed,
  children,
  ...rest
}: ButtonProps & { label: string; keys?: string; pressed?: boolean; children: ReactNode }) {
  const key = useKeyOf(keys ?? "");
  return (
    <Tipped text={key ? `${label} · ${key}` : label}>
      <Button {...rest} aria-label={label} aria-pressed={pressed} data-lit={pressed} data-plain="true">
        {children}
      </Button>
    </Tipped>
  );
}

const Tip = styled(Tooltip)`
  padding: 4px 8px; border-radius: 3px; background: var(--dark); color: var(--on-dark); box-shadow: var(--float); max-width: 280px;
`;

export function Tipped({ text, children }: { text: string; children: ReactNode }) {
  return (
    <TooltipTrigger delay={500}>
      {children}
      <Tip offset={6}>{text}</Tip>
    </TooltipTrigger>
  );
}

const Group = styled(ToggleButtonGroup)`
  display: inline-flex; border: 1px solid var(--line); border-radius: 3px; background: var(--field); overflow: hidden;
  &[data-wide="true"] { display: flex; }
`;
const Segment = styled(AriaToggle)`
  padding: 3px 9px; min-height: 1.5rem; border: 0; border-left: 1px solid var(--line); background: none; color: var(--ink);
  cursor: pointer; flex: 1; white-space: nowrap;
  &:first-child { border-left: 0; }
  &[data-hovered] { background: var(--sheet); }
  &[data-selected] { background: var(--dark); color: var(--on-dark); }
  &[data-focus-visible] { outline-offset: -3px; }
`;

export interface Option {
  value: string;
  label: string;
  /** The key that does the same. */
  key?: string;
}

interface ChoiceProps {
  label: string;
  value: string;
  options: readonly Option[];
  onChange: (value: string) => void;
  wide?: boolean;
}

/** One of a few, side by side. */
export function Segments({ label, value, options, onChange, wide }: ChoiceProps) {
  return (
    <Group
      aria-label={label}
      selectionMode="single"
      disallowEmptySelection
      selectedKeys={[value]}
      onSelectionChange={(keys) => onChange(String([...keys][0] ?? value))}
      data-wide={wide}
    >
      {options.map((o) => (
        <Segment key={o.value} id={o.value}>
          {o.label} {o.key && <Key>{o.key}</Key>}
        </Segment>
      ))}
    </Group>
  );
}

const Trigger = styled(AriaButton)`
  display: flex; align-items: center; gap: 6px; width: 100%; min-height: 1.625rem; padding: 3px 8px; text-align: left;
  border: 1px solid var(--line); border-radius: 3px; background: var(--field); color: var(--ink); cursor: pointer;
  & > :first-child { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  &[data-hovered] { border-color: var(--line-strong); }
`;
export const Floating = styled(Popover)`
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; box-shadow: var(--float); overflow: auto;
  min-width: var(--trigger-width);
  & [role="listbox"], & [role="menu"] { outline: none; padding: 4px; max-height: 340px; overflow: auto; }
  & [role="option"], & [role="menuitem"] {
    display: flex; align-items: center; gap: 8px; padding: 4px 8px; border-radius: 3px; cursor: pointer; outline: none;
  }
  & [data-focused], & [data-hovered] { background: var(--petrol-wash); }
  & [data-selected] { font-weight: 620; }
`;

/** One of many, in a list that opens. */
export function Picker({ label, value, options, onChange }: ChoiceProps) {
  return (
    <Select aria-label={label} selectedKey={value} onSelectionChange={(key) => onChange(String(key))}>
      <Trigger>
        <SelectValue />
        <ChevronDown size={14} aria-hidden />
      </Trigger>
      <Floating>
        <ListBox items={options.map((o) => ({ id: o.value, ...o }))}>
          {(o) => (
            <ListBoxItem id={o.value} textValue={o.label}>
              {o.label}
            </ListBoxItem>
          )}
        </ListBox>
      </Floating>
    </Select>
  );
}

const SwitchBox = styled(AriaSwitch)`
  display: inline-flex; align-items: center; cursor: pointer; min-height: 1.625rem;
  & i { width: 30px; height: 16px; border-radius: 8px; background: var(--line-strong); padding: 2px; }
  & i::after { content: ""; display: block; width: 12px; height: 12px; border-radius: 6px; background: var(--field); }
  &[data-selected] i { background: var(--petrol); }
  &[data-selected] i::after { transform: translateX(14px); }
  &[data-focus-visible] i { outline: 2px solid var(--petrol); outline-offset: 2px; }
`;

export function OnOff({ label, value, onChange }: { label: string; value: boolean; onChange: (on: boolean) => void }) {
  return (
    <SwitchBox aria-label={label} isSelected={value} onChange={onChange}>
      <i />
    </SwitchBox>
  );
}

export const Key = styled.kbd`
  font: inherit; font-size: 0.6875rem; line-height: 0.875rem; color: var(--quiet); border: 1px solid var(--line); border-radius: 3px;
  padding: 1px 5px; background: var(--field); white-space: nowrap;
`;

/** The key that something has now; nothing where it has none. */
export function KeyFor({ ours, scope }: { ours: string; scope?: Scope }) {
  const key = useKeyOf(ours, scope);
  return key && <Key>{key}</Key>;
}
