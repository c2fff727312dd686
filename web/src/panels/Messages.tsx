import { X } from "lucide-react";
import styled from "styled-components";
import { dismiss, useMessages } from "../state/messages";
import { Button } from "../ui/controls";

const Stack = styled.div`
  position: absolute; right: 12px; bottom: 12px; display: grid; gap: 6px; justify-items: end; z-index: 6; max-width: min(460px, 80%);
`;
const One = styled.div`
  display: flex; gap: 10px; align-items: flex-start; padding: 8px 10px; border-radius: 4px; border: 1px solid var(--line);
  background: var(--panel); box-shadow: var(--float);
  &[data-kind="error"] { border-color: var(--error); background: var(--error-wash); color: var(--error); }
  & button { all: unset; cursor: pointer; display: grid; place-items: center; height: 1.125rem; }
  & button:focus-visible { outline: 2px solid var(--petrol); }
`;

const Act = styled(Button)`&& { min-height: 1.25rem; padding: 0 8px; color: var(--petrol); font-weight: 600; }`;

/** What the artist is told, at the foot of the viewport. */
export function Messages() {
  const list = useMessages();
  return (
    <Stack>
      {list.map((m) => (
        <One key={m.id} data-kind={m.kind} role={m.kind === "error" ? "alert" : "status"}>
          <span>{m.text}</span>
          {m.action && (
            <Act
              onPress={() => {
                dismiss(m.id);
                m.action?.act();
              }}
            >
              {m.action.word}
            </Act>
          )}
          <button type="button" aria-label="Dismiss" onClick={() => dismiss(m.id)}>
            <X size={14} aria-hidden />
          </button>
        </One>
      ))}
    </Stack>
  );
}
