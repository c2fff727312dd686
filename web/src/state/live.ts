import { Problem } from "../api/client";
import type { Delta } from "../api/types";
import { applyDelta, levelStore } from "./level";
import { lookWhatStands, reload, whenAtRest } from "./steps";

/** What a message says; null for what says nothing that is understood. */
function read(data: unknown): Partial<Delta> | null {
  if (typeof data !== "string") return null;
  try {
    const found: unknown = JSON.parse(data);
    return typeof found === "object" && found !== null ? (found as Partial<Delta>) : null;
  } catch {
    return null;
  }
}

/** Listen to changes of the open level made elsewhere, and hear when it is gone; returns how to stop. */
export function listen(level: string, gone: () => void): () => void {
  let stopped = false;
  let socket: WebSocket | null = null;
  let wait = 500;

  const lost = (error: unknown) => {
    if (error instanceof Problem && error.code === "unknown_id") gone();
  };

  const connect = () => {
    if (stopped) return;
    // what has changed since this revision is told, too
    const { revision } = levelStore.getState();
    socket = new WebSocket(
      `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/api/levels/${level}/live?revision=${revision}`,
    );
    socket.onopen = () => {
      wait = 500;
      levelStore.setState({ online: true });
      void lookWhatStands();
    };
    socket.onmessage = (event: MessageEvent<unknown>) => {
      const delta = read(event.data);
      // own steps arrive here too, usually after their reply: while one is on its way, what comes waits for it
      window.setTimeout(
        () =>
          whenAtRest(() => {
            if (stopped) return;
            if ((delta as { page?: string } | null)?.page === "anew") location.reload();
            else if (delta?.revision === undefined || !applyDelta(delta as Delta)) void reload().catch(lost);
          }),
        0,
      );
    };
    socket.onclose = () => {
      if (stopped) return;
      levelStore.setState({ online: false });
      window.setTimeout(connect, wait);
      wait = Math.min(wait * 2, 8000);
    };
  };
  connect();
  return () => {
    stopped = true;
    socket?.close();
  };
}
