import { useEffect, useRef } from "react";
import styled from "styled-components";
import { useLevel } from "../../state/level";
import { FIELD_OF_VIEW, inPerspective, useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { perMetre, unitNow } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { nice, visibleStep } from "./Grid";

const THICK = 20;
const Strip = styled.canvas`
  /* not quite opaque: where the page is composed in software, what hides the upper end of a canvas cuts off its lower one */
  position: absolute; left: 0; top: 0; pointer-events: none; background: color-mix(in srgb, var(--panel) 98%, transparent);
  &[data-side="top"] { width: 100%; height: 20px; border-bottom: 1px solid var(--line); }
  &[data-side="left"] { width: 20px; height: 100%; border-right: 1px solid var(--line); }
`;

/** Metre rulers along the top and left edges of the straight views; their ticks are those of the grid. */
export function Rulers({ scheme }: { scheme: Scheme }) {
  const mode = useView((v) => v.mode);
  const target = useView((v) => v.target);
  const distance = useView((v) => v.distance);
  const step = useLevel((s) => s.scene.level?.step ?? 0.5);
  const top = useRef<HTMLCanvasElement>(null);
  const left = useRef<HTMLCanvasElement>(null);
  useEffect(() => {
    if (inPerspective(mode) || !top.current || !left.current) return;
    const across = mode === "side" ? "z" : "x";
    const upward = mode === "plan" ? "z" : "y";
    draw(top.current, "top", across, step, distance, target, scheme);
    draw(left.current, "left", upward, step, distance, target, scheme);
  }, [mode, target, distance, step, scheme]);
  if (inPerspective(mode)) return null;
  return (
    <>
      <Strip ref={left} data-side="left" aria-hidden="true" />
      <Strip ref={top} data-side="top" aria-hidden="true" />
    </>
  );
}

function draw(
  canvas: HTMLCanvasElement,
  side: "top" | "left",
  axis: "x" | "y" | "z",
  step: number,
  distance: number,
  target: readonly number[],
  scheme: Scheme,
): void {
  const dpr = Math.min(window.devicePixelRatio, 2);
  const [w, h] = side === "top" ? [viewport.width, THICK] : [THICK, viewport.height];
  canvas.width = w * dpr;
  canvas.height = h * dpr;
  const pen = canvas.getContext("2d");
  const per = perMetre(unitNow());
  if (!pen) return;
  pen.scale(dpr, dpr);
  const perPixel = (2 * distance * Math.tan((FIELD_OF_VIEW * Math.PI) / 360)) / viewport.height;
  const fine = visibleStep(step, perPixel);
  const labelled = Math.max(nice(perPixel * 70), fine);
  const length = side === "top" ? w : h;
  const middle = target["xyz".indexOf(axis)] ?? 0;
  const sign = side === "top" ? (axis === "z" ? -1 : 1) : axis === "y" ? -1 : 1;
  const at = (value: number) => length / 2 + (sign * (value - middle)) / perPixel;
  const reach = (length / 2) * perPixel;
  pen.strokeStyle = scheme.gridBold;
  pen.fillStyle = getComputedStyle(document.body).color;
  pen.font = '11px "Archivo Variable", sans-serif';
  for (let k = Math.ceil((middle - reach) / fine); k <= (middle + reach) / fine; k++) {
    const value = k * fine;
    const p = Math.round(at(value)) + 0.5;
    const big = Math.abs(value / labelled - Math.round(value / labelled)) < 1e-6;
    pen.beginPath();
    if (side === "top") {
      pen.moveTo(p, THICK);
      pen.lineTo(p, THICK - (big ? 8 : 4));
    } else {
      pen.moveTo(THICK, p);
      pen.lineTo(THICK - (big ? 8 : 4), p);
    }
    pen.stroke();
    if (!big) continue;
    const text = `${Number((value * per).toFixed(3))}`.replace("-", "−");
    if (side === "top") pen.fillText(text, p + 3, 10);
    else {
      pen.save();
      pen.translate(10, p - 3);
      pen.rotate(-Math.PI / 2);
      pen.fillText(text, 0, 0);
      pen.restore();
    }
  }
}
