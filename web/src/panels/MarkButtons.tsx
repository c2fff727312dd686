import { Eye, EyeOff, Focus, Lock, LockOpen } from "lucide-react";
import styled from "styled-components";
import type { Thing } from "../api/types";
import { mark, toggleIsolated } from "../state/marks";
import { useView } from "../state/view";
import { IconButton } from "../ui/controls";

const Marks = styled.div`
  display: flex; margin: -4px -6px -4px 0;
  & button { padding: 3px 5px; min-height: 1.625rem; }
`;

/** Hide, lock and isolate what is selected, or take that back; stands in the head of a card. */
export function MarkButtons({ things }: { things: readonly Thing[] }) {
  const isolated = useView((v) => v.isolated !== null);
  const ids = things.map((t) => t.id);
  const hidden = things.every((t) => t.hidden);
  const locked = things.every((t) => t.locked);
  if (ids.length === 0) return null;
  return (
    <Marks>
      <IconButton
        label={hidden ? "Show" : "Hide"}
        keys={hidden ? undefined : "H"}
        onPress={() => void mark(ids, { hide: !hidden })}
      >
        {hidden ? <Eye size={15} aria-hidden /> : <EyeOff size={15} aria-hidden />}
      </IconButton>
      <IconButton label={locked ? "Unlock" : "Lock"} onPress={() => void mark(ids, { lock: !locked })}>
        {locked ? <LockOpen size={15} aria-hidden /> : <Lock size={15} aria-hidden />}
      </IconButton>
      <IconButton label="Isolate" keys="I" pressed={isolated} onPress={toggleIsolated}>
        <Focus size={15} aria-hidden />
      </IconButton>
    </Marks>
  );
}
