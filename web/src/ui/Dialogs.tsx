import type { ReactNode } from "react";
import { Dialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import styled from "styled-components";

export const Veil = styled(ModalOverlay)`
  position: fixed; inset: 0; background: rgb(34 48 58 / 0.25); display: grid; justify-items: center; align-items: start;
  padding-top: 12vh; z-index: 20;
`;
const Sheet = styled(Modal)`
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; box-shadow: var(--float); width: 23.75rem; max-width: 92vw;
  & [role="dialog"], & [role="alertdialog"] { outline: none; }
  & h2 { padding: 12px 16px 4px; font-weight: 640; font-size: 0.9375rem; }
  & form { padding: 4px 16px 14px; display: grid; grid-template-columns: minmax(0, 1fr); gap: 10px; overflow-wrap: anywhere; }
`;
export const Foot = styled.div`display: flex; flex-wrap: wrap; gap: 8px; justify-content: flex-end;`;

interface AskProps {
  open: boolean;
  title: string;
  alert?: boolean;
  /** It stays until one of its buttons is pressed. */
  fixed?: boolean;
  onClose?: () => void;
  onAccept: () => void;
  children: ReactNode;
}

/** A small sheet that asks something; Enter accepts, Escape leaves. */
export function Ask({ open, title, alert, fixed, onClose, onAccept, children }: AskProps) {
  return (
    <Veil
      isOpen={open}
      onOpenChange={(o) => !o && onClose?.()}
      isDismissable={!fixed}
      isKeyboardDismissDisabled={fixed === true}
    >
      <Sheet>
        <Dialog role={alert ? "alertdialog" : "dialog"}>
          <Heading slot="title">{title}</Heading>
          <form
            onSubmit={(event) => {
              event.preventDefault();
              onAccept();
            }}
          >
            {children}
          </form>
        </Dialog>
      </Sheet>
    </Veil>
  );
}
