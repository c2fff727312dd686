import { Minus, Plus } from "lucide-react";
import styled from "styled-components";
import type { Piece } from "../api/types";
import { useLevel } from "../state/level";
import { finishOf } from "../state/source";
import { takeStep } from "../state/steps";
import { Button } from "../ui/controls";

/** Levels of a smoother surface at most. */
const MOST_LEVELS = 4;

const Line = styled.div`
  display: flex; align-items: center; gap: 4px;
  & > span { flex: 1; color: var(--quiet); }
  & button { min-height: 1.5rem; padding: 2px 8px; }
`;

/** What follows of the piece that is open while it is edited: its other half, its smoother surface; and how to keep
 * what is seen. */
export function FinishLine({ piece, ids }: { piece: Piece; ids: readonly string[] }) {
  const busy = useLevel((s) => s.busy > 0);
  const finish = finishOf(piece);
  if (!finish) return null;
  const { levels = 0, mirror, crease_angle: angle } = finish;
  const smooth = (to: number) =>
    void takeStep("live_smooth", { levels: to, ...(angle == null ? {} : { creases: "by angle", angle }) }, ids);
  const words = [mirror && "mirrored", levels > 0 && `smooth ${levels}`].filter(Boolean).join(" · ");
  return (
    <Line role="group" aria-label="Follows live">
      <span>{words.charAt(0).toUpperCase() + words.slice(1)}</span>
      {levels > 0 && (
        <>
          <Button aria-label="One level less" isDisabled={busy} onPress={() => smooth(levels - 1)}>
            <Minus size={13} aria-hidden />
          </Button>
          <Button
            aria-label="One level more"
            isDisabled={busy || levels >= MOST_LEVELS}
            onPress={() => smooth(levels + 1)}
          >
            <Plus size={13} aria-hidden />
          </Button>
        </>
      )}
      <Button isDisabled={busy} onPress={() => void takeStep("finish_real", {}, ids)}>
        Make real
      </Button>
    </Line>
  );
}
