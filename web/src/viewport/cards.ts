import type { ComponentType } from "react";
import { useRunning } from "../state/running";
import type { Scheme } from "../theme/tokens";

/** What the open card of a tool changes in the view. */
export interface CardInView {
  /** Whether the handles stay in sight. */
  handles: boolean;
  Signs?: ComponentType<{ scheme: Scheme }>;
}

const cards = new Map<string, CardInView>();

/** Say what a tool's card changes in the view while it is open. */
export const whileOpen = (tool: string, what: CardInView): void => void cards.set(tool, what);

export const useCardInView = (): CardInView | undefined => useRunning((s) => cards.get(s.card ?? ""));
