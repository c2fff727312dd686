import { useEffect, useRef, useState } from "react";
import styled from "styled-components";

const Input = styled.input`
  width: 100%; min-height: 1.625rem; padding: 3px 8px; border: 1px solid var(--line); border-radius: 3px; background: var(--field);
  &:focus { border-color: var(--petrol); outline: none; }
`;

interface TextFieldProps {
  label: string;
  value: string;
  focus?: boolean;
  onCommit: (value: string) => void;
}

/** A line of text, taken over with Enter or when the field is left. */
export function TextField({ label, value, focus, onCommit }: TextFieldProps) {
  const [text, setText] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  useEffect(() => {
    if (focus) input.current?.select();
  }, [focus]);
  const commit = () => {
    if (text !== null && text !== value) onCommit(text);
    setText(null);
  };
  return (
    <Input
      ref={input}
      aria-label={label}
      value={text ?? value}
      onChange={(event) => setText(event.currentTarget.value)}
      onBlur={commit}
      onKeyDown={(event) => {
        if (event.key === "Enter") commit();
        if (event.key === "Escape" && text !== null) {
          event.stopPropagation();
          setText(null);
        }
      }}
    />
  );
}
