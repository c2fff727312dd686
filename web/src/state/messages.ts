import { createStore, useStore } from "zustand";

export interface Message {
  id: number;
  kind: "error" | "info";
  text: string;
  /** What can be done about it. */
  action?: { word: string; act: () => void };
}

export const messageStore = createStore<{ list: Message[] }>(() => ({ list: [] }));
let last = 0;

/** Milliseconds for which a message stays, by what it is. */
const STAYS = { error: 9000, info: 4000, action: 12_000 };

/** Tell the artist something; it goes by itself after a while, errors a little later. */
export function tell(text: string, kind: Message["kind"] = "info", action?: Message["action"]): void {
  const id = ++last;
  const message: Message = { id, kind, text, ...(action && { action }) };
  messageStore.setState(({ list }) => ({ list: [...list.filter((m) => m.text !== text).slice(-2), message] }));
  window.setTimeout(() => dismiss(id), action ? STAYS.action : STAYS[kind]);
}

export const dismiss = (id: number): void =>
  messageStore.setState(({ list }) => ({ list: list.filter((m) => m.id !== id) }));
export const useMessages = () => useStore(messageStore, (s) => s.list);
