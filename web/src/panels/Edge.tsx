import { PanelLeft, PanelRight } from "lucide-react";
import { type KeyboardEvent, type PointerEvent, useSyncExternalStore } from "react";
import styled from "styled-components";
import { fold, isFolded, LIMITS, layout, onLayout, type Side, widen } from "../theme/layout";
import { textFactor } from "../theme/settings";
import { Button, Tipped } from "../ui/controls";

const Line = styled.div`
  position: absolute; z-index: 7; top: 0; bottom: 0; width: 9px; cursor: col-resize; touch-action: none;
  &[data-side="left"] { right: -5px; }
  &[data-side="cards"] { left: -5px; }
  &:hover, &:focus-visible { background: color-mix(in srgb, var(--petrol) 30%, transparent); outline: none; }
`;
const Fold = styled(Button)`
  && { min-height: 1.5rem; padding: 2px 6px; }
  &[data-on="true"] { background: var(--sheet); }
`;

const STEP = 16;
const WORDS: Record<Side, string> = { left: "Width of the shelf", cards: "Width of the cards" };

export const useFolded = (side: Side): boolean => useSyncExternalStore(onLayout, () => isFolded(side));
const useWidth = (side: Side): number => useSyncExternalStore(onLayout, () => layout()[side]);

/** The edge of a panel: dragged, or moved by arrow keys, it widens the panel; a double click puts it back. */
export function Edge({ side }: { side: Side }) {
  const width = useWidth(side);
  const { least, most, first } = LIMITS[side];
  const toward = side === "left" ? 1 : -1;
  const move = (event: PointerEvent<HTMLDivElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    widen(side, (side === "left" ? event.clientX : window.innerWidth - event.clientX) / textFactor());
  };
  const key = (event: KeyboardEvent) => {
    const way = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
    if (way === 0) return;
    event.preventDefault();
    widen(side, width + way * toward * STEP);
  };
  return (
    <Line
      role="separator"
      tabIndex={0}
      aria-orientation="vertical"
      aria-label={WORDS[side]}
      aria-valuenow={width}
      aria-valuemin={least}
      aria-valuemax={most}
      data-side={side}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={move}
      onDoubleClick={() => widen(side, first)}
      onKeyDown={key}
    />
  );
}

/** Folds a panel away, and opens it again. */
export function FoldButton({ side }: { side: Side }) {
  const folded = useFolded(side);
  const Icon = side === "left" ? PanelLeft : PanelRight;
  const word = side === "left" ? "Lists" : "Cards";
  return (
    <Tipped text={folded ? `Show the ${word.toLowerCase()}` : `Fold the ${word.toLowerCase()} away`}>
      <Fold aria-label={word} aria-expanded={!folded} data-on={!folded} onPress={() => fold(side, !folded)}>
        <Icon size={14} aria-hidden /> {folded && word}
      </Fold>
    </Tipped>
  );
}
