import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import styled from "styled-components";

const Round = styled.svg`
  width: 44px; height: 44px; flex: none; cursor: grab; touch-action: none; border-radius: 50%;
  & circle { fill: var(--field); stroke: var(--line); }
  & line { stroke: var(--quiet); }
  & .hand { stroke: var(--petrol); stroke-width: 3; stroke-linecap: round; }
  &:focus-visible { outline: 2px solid var(--petrol); }
`;
const STEP = 5;

interface DialProps {
  label: string;
  /** Degrees; 0 points up, and to the right is more. */
  value: number;
  onPreview: (value: number) => void;
  onCommit: (value: number) => void;
}

/** An angle turned by hand, in steps of 5°; with Ctrl held any. It goes round as often as it is turned. */
export function Dial({ label, value, onPreview, onCommit }: DialProps) {
  const [now, setNow] = useState<number | null>(null);
  // where it began stays known: while it is previewed, `value` may be what is shown
  const drag = useRef<{ angle: number; value: number; from: number } | null>(null);
  const shown = now ?? value;
  const angleAt = (event: PointerEvent<SVGSVGElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const [x, y] = [event.clientX - box.left - box.width / 2, event.clientY - box.top - box.height / 2];
    return (Math.atan2(x, -y) * 180) / Math.PI;
  };
  const show = (to: number) => {
    setNow(to);
    onPreview(to);
  };
  const move = (event: PointerEvent<SVGSVGElement>) => {
    const held = drag.current;
    if (!held) return;
    const angle = angleAt(event);
    const turned = ((((angle - held.angle + 180) % 360) + 360) % 360) - 180;
    drag.current = { ...held, angle, value: held.value + turned };
    const to = held.value + turned;
    show(Number((event.ctrlKey ? to : Math.round(to / STEP) * STEP).toFixed(2)));
  };
  const key = (event: KeyboardEvent) => {
    const by = { ArrowUp: STEP, ArrowRight: STEP, ArrowDown: -STEP, ArrowLeft: -STEP }[event.key];
    if (by === undefined) return;
    event.preventDefault();
    onCommit(shown + by);
  };
  const radians = (shown * Math.PI) / 180;
  return (
    <Round
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-valuenow={shown}
      aria-valuetext={`${shown} degrees`}
      viewBox="-22 -22 44 44"
      onPointerDown={(event) => {
        event.currentTarget.setPointerCapture(event.pointerId);
        drag.current = { angle: angleAt(event), value, from: value };
      }}
      onPointerMove={move}
      onPointerUp={() => {
        const from = drag.current?.from;
        drag.current = null;
        if (now !== null && now !== from) onCommit(now);
        setNow(null);
      }}
      onPointerCancel={() => {
        onPreview(drag.current?.from ?? value);
        drag.current = null;
        setNow(null);
      }}
      onKeyDown={key}
    >
      <circle r={20} />
      {[0, 90, 180, 270].map((a) => (
        <line key={a} y1={-20} y2={-16} transform={`rotate(${a})`} />
      ))}
      <line className="hand" x2={15 * Math.sin(radians)} y2={-15 * Math.cos(radians)} />
    </Round>
  );
}
