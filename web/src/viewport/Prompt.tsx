import { useLayoutEffect, useRef, useState } from "react";
import styled from "styled-components";
import { modeOf } from "../hand/modes/modes";
import { useDrag } from "../state/drag";
import { useRunning } from "../state/running";
import { viewport } from "./controller";
import { type Corner, type Dot, promptPlace } from "./promptPlace";

const Line = styled.output`
  position: absolute; z-index: 5; pointer-events: none; max-width: 430px; width: max-content; padding: 4px 8px; border-radius: 3px;
  background: var(--dark); color: var(--on-dark); box-shadow: var(--float);
  & b { font-weight: 620; }
  & span { opacity: 0.82; }
  &:empty { display: none; }
  &[data-soft="true"] { animation: come 150ms 350ms backwards; }
  @keyframes come { from { opacity: 0; } }
`;

/** Pixels over which the way of the hand is told. */
const WAY = 24;

/** The line at the pointer: what the next press does, and the measure, which can be typed over. */
export function Prompt() {
  const now = useRunning((s) => s.now);
  const typed = useRunning((s) => s.typed);
  const pointer = useRunning((s) => s.pointer);
  const pointed = useDrag((s) => s.over !== null);
  const line = useRef<HTMLOutputElement>(null);
  const hand = useRef<{ last: Dot; way: Dot; corner: Corner }>({
    last: { x: 0, y: 0 },
    way: { x: 0, y: 0 },
    corner: { right: true, below: true },
  });
  const [place, setPlace] = useState<Dot>({ x: 16, y: 48 });
  const mode = modeOf(now);
  // biome-ignore lint/correctness/useExhaustiveDependencies: placed anew as its words change
  useLayoutEffect(() => {
    const frame = viewport.element?.getBoundingClientRect();
    const box = line.current?.getBoundingClientRect();
    if (!frame || !box || pointer.x === 0) return;
    const at = { x: pointer.x - frame.left, y: pointer.y - frame.top };
    const h = hand.current;
    if (Math.hypot(at.x - h.last.x, at.y - h.last.y) > WAY) {
      h.way = { x: at.x - h.last.x, y: at.y - h.last.y };
      h.last = at;
    }
    const clear = (mode?.clear?.() ?? []).flatMap((p) => viewport.seen(p) ?? []);
    const found = promptPlace(at, box, viewport, h.way, clear, h.corner);
    h.corner = found.corner;
    setPlace((old) => (old.x === found.at.x && old.y === found.at.y ? old : found.at));
  }, [pointer, now, typed, mode, pointed]);
  if (!mode || (now === null && !pointed)) return null;
  return (
    <Line ref={line} aria-live="polite" data-soft={now === null} style={{ left: place.x, top: place.y }}>
      <mode.Prompt />
    </Line>
  );
}
