import { createStore, useStore } from "zustand";

export interface Message {
  id: number;
  kind: "error" | "info";
  text: string;
}

export const messageStore = createStore<{ list: Message[] }>(() => ({ list: [] }));
let last = 0;

/** Tell the artist something; it goes by itself after a while, errors a little later. */
export function tell(text: string, kind: Message["kind"] = "info"): void {
  const id = ++last;
  messageStore.setState(({ list }) => ({
    list: [...list.filter((m) => m.text !== text).slice(-2), { id, kind, text }],
  }));
  window.setTimeout(() => dismiss(id), kind === "error" ? 9000 : 4000);
}

export const dismiss = (id: number): void =>
  messageStore.setState(({ list }) => ({ list: list.filter((m) => m.id !== id) }));
export const useMessages = () => useStore(messageStore, (s) => s.list);
