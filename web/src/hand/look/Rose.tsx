import styled from "styled-components";
import { inPerspective, setView, useView } from "../../state/view";

const Dial = styled.div`
  position: absolute; left: 12px; bottom: 12px; width: 92px; height: 92px;
  &[data-ruled="true"] { left: 32px; }
  & svg { width: 100%; height: 100%; display: block; }
  & button { all: unset; position: absolute; width: 20px; height: 20px; margin: -10px; text-align: center; cursor: pointer;
    font-weight: 620; font-size: 0.75rem; line-height: 1.25rem; border-radius: 10px; color: var(--ink);
    background: color-mix(in srgb, var(--panel) 80%, transparent); }
  & button:hover { color: var(--brick); }
  & button:focus-visible { outline: 2px solid var(--petrol); }
`;

const POINTS = [
  { letter: "N", word: "north", yaw: 0 },
  { letter: "E", word: "east", yaw: -Math.PI / 2 },
  { letter: "S", word: "south", yaw: Math.PI },
  { letter: "W", word: "west", yaw: Math.PI / 2 },
];

const TICKS = Array.from({ length: 24 }, (_, k) => k);

/** The compass rose: shows which way one looks and how far down; a letter turns the view that way. */
export function Rose() {
  const mode = useView((v) => v.mode);
  const yaw = useView((v) => (inPerspective(v.mode) ? v.yaw : v.mode === "side" ? Math.PI / 2 : 0));
  const pitch = useView((v) => (v.mode === "plan" ? Math.PI / 2 : inPerspective(v.mode) ? v.pitch : 0));
  const down = Math.round((pitch * 180) / Math.PI);
  return (
    <Dial role="group" aria-label="Compass" data-ruled={!inPerspective(mode)}>
      <svg viewBox="-46 -46 92 92" aria-hidden="true">
        <circle r="31" fill="var(--panel)" stroke="var(--line-strong)" />
        <g transform={`rotate(${(yaw * 180) / Math.PI})`}>
          {TICKS.map((k) => (
            <line
              key={k}
              y1={-31}
              y2={k % 6 === 0 ? -25 : -28}
              stroke="var(--line-strong)"
              transform={`rotate(${k * 15})`}
            />
          ))}
          <path d="M0 -23 L5.5 3 L0 0 L-5.5 3 Z" fill="var(--brick)" />
          <path d="M0 23 L5.5 3 L0 6 L-5.5 3 Z" fill="none" stroke="var(--quiet)" />
        </g>
      </svg>
      {POINTS.map(({ letter, word, yaw: to }) => {
        const angle = yaw - to;
        const style = { left: 46 + Math.sin(angle) * 39, top: 46 - Math.cos(angle) * 39 };
        return (
          <button
            key={letter}
            type="button"
            style={style}
            aria-label={`Look ${word}`}
            title={`Look ${word}`}
            onClick={() =>
              setView({ mode: mode === "eye" ? "eye" : "free", yaw: to, pitch: inPerspective(mode) ? pitch : 0.35 })
            }
          >
            {letter}
          </button>
        );
      })}
      <Tilt title="How far down the view looks">
        {down === 0 ? "level" : `${Math.abs(down)}° ${down > 0 ? "down" : "up"}`}
      </Tilt>
    </Dial>
  );
}

const Tilt = styled.span`
  position: absolute; left: 100px; bottom: 36px; white-space: nowrap; color: var(--quiet); font-size: 0.6875rem;
  padding: 0 6px; border-radius: 3px; background: color-mix(in srgb, var(--panel) 80%, transparent);
`;
