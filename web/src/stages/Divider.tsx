import { type KeyboardEvent, type PointerEvent, useEffect } from "react";
import styled from "styled-components";
import { useLevel } from "../state/level";
import { rungStore, setRungs, useRungs } from "../state/rungs";
import { useView } from "../state/view";
import { grouped } from "../ui/words";

const Line = styled.div`
  position: absolute; z-index: 3; top: 0; bottom: 0; width: 15px; margin-left: -7px; cursor: ew-resize; touch-action: none;
  &::before { content: ""; position: absolute; left: 7px; top: 0; bottom: 0; width: 2px; margin-left: -1px; background: var(--petrol); }
  &::after {
    content: "↔"; position: absolute; left: -5px; top: 45%; width: 24px; height: 24px; border-radius: 12px; background: var(--petrol);
    color: var(--panel); display: grid; place-items: center; font-size: 0.875rem;
  }
  &:focus-visible { outline: 2px solid var(--petrol); }
`;
const Tag = styled.div`
  position: absolute; z-index: 3; top: 10px; padding: 3px 8px; border-radius: 3px; background: var(--dark); color: var(--on-dark);
  pointer-events: none; white-space: nowrap;
`;

/** The line between a piece as it is and a rung of it. */
export function Divider() {
  const stage = useView((v) => v.stage);
  const { piece: id, rung, beside, divider } = useRungs((s) => s);
  const piece = useLevel((s) => (id === null ? undefined : s.scene.pieces.get(id)));
  useEffect(() => holdToFlip(), []);
  if (stage !== "slim" || !piece || beside === null || rung === 0) return null;
  const at = `${100 * divider}%`;
  const move = (event: PointerEvent<HTMLDivElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (box) setRungs({ divider: Math.min(Math.max((event.clientX - box.left) / box.width, 0.02), 0.98) });
  };
  const key = (event: KeyboardEvent) => {
    const by = event.key === "ArrowLeft" ? -0.02 : event.key === "ArrowRight" ? 0.02 : 0;
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    setRungs({ divider: Math.min(Math.max(divider + by, 0.02), 0.98) });
  };
  return (
    <>
      <Tag style={{ right: `calc(${100 - 100 * divider}% + 12px)` }}>Source · {grouped(piece.facts.triangles)}</Tag>
      <Tag style={{ left: `calc(${at} + 12px)` }}>
        Rung {rung} · {grouped(piece.ladder?.rungs[rung - 1]?.triangles ?? 0)}
      </Tag>
      <Line
        role="slider"
        tabIndex={0}
        aria-label="Divider between source and rung"
        aria-valuenow={Math.round(100 * divider)}
        aria-valuemin={2}
        aria-valuemax={98}
        aria-orientation="horizontal"
        style={{ left: at }}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={move}
        onKeyDown={key}
      />
    </>
  );
}

/** While V is held the piece is drawn as it is; returns how to stop listening. */
function holdToFlip(): () => void {
  const hold = (flipped: boolean) => (event: globalThis.KeyboardEvent) => {
    const { piece, rung } = rungStore.getState();
    const target = event.target as HTMLElement;
    if (event.key.toLowerCase() !== "v" || event.ctrlKey || event.metaKey || target.matches("input, textarea")) return;
    if (piece === null || (rung === 0 && flipped) || event.repeat) return;
    setRungs({ flipped });
  };
  const [down, up] = [hold(true), hold(false)];
  const leave = () => setRungs({ flipped: false });
  window.addEventListener("keydown", down);
  window.addEventListener("keyup", up);
  window.addEventListener("blur", leave);
  return () => {
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", leave);
  };
}
