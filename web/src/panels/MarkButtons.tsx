import { Eye, EyeOff, Lock, LockOpen } from "lucide-react";
import styled from "styled-components";
import type { Thing } from "../api/types";
import { mark } from "../state/marks";
import { Button } from "../ui/controls";

const Row = styled.div`
  display: flex; gap: 6px; border-top: 1px solid var(--line); padding-top: 8px;
  & > * { flex: 1; justify-content: center; }
`;

/** Hide and lock what is selected, or take that back. */
export function MarkButtons({ things }: { things: readonly Thing[] }) {
  const ids = things.map((t) => t.id);
  const hidden = things.every((t) => t.hidden);
  const locked = things.every((t) => t.locked);
  if (ids.length === 0) return null;
  return (
    <Row>
      <Button onPress={() => void mark(ids, { hide: !hidden })}>
        {hidden ? <Eye size={14} aria-hidden /> : <EyeOff size={14} aria-hidden />}
        {hidden ? "Show" : "Hide"}
      </Button>
      <Button onPress={() => void mark(ids, { lock: !locked })}>
        {locked ? <LockOpen size={14} aria-hidden /> : <Lock size={14} aria-hidden />}
        {locked ? "Unlock" : "Lock"}
      </Button>
    </Row>
  );
}
