import { applyDelta, levelStore } from "../state/level";
import { reload } from "./steps";
import type { Delta } from "./types";

/** Listen to changes of the open level made elsewhere; returns how to stop. */
export function listen(level: string): () => void {
  let stopped = false;
  let socket: WebSocket | null = null;
  let wait = 500;

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
    };
    socket.onmessage = (event: MessageEvent<string>) => {
      const delta = JSON.parse(event.data) as Partial<Delta>;
      // own steps arrive here too, usually after their reply; those in flight are left to the reply
      window.setTimeout(() => {
        if (levelStore.getState().busy > 0) return;
        if (delta.revision === undefined || !applyDelta(delta as Delta)) void reload().catch(() => undefined);
      }, 0);
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
