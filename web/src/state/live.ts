import { Problem } from "../api/client";
import { readColumns, readHead } from "../api/columns";
import { goesAlong, openingIn, within } from "../api/here";
import { askProject } from "../api/queries";
import type { Delta } from "../api/types";
import { applyDelta, levelStore } from "./level";
import { lookWhatStands, reload, whenAtRest } from "./steps";

/** A change, or where it is large which one it is and how to read it; or that another project is open. */
type Message = Partial<Delta> & { whole?: () => Delta; page?: string; open?: string; name?: string; path?: string };

/** What a message says; null for what says nothing that is understood. Columns are read when they are wanted. */
function read(data: unknown): Message | null {
  try {
    if (data instanceof ArrayBuffer) {
      const { level, revision } = readHead(data).head;
      return { level, revision, whole: () => readColumns(data) };
    }
    if (typeof data !== "string") return null;
    const found: unknown = JSON.parse(data);
    return typeof found === "object" && found !== null ? (found as Message) : null;
  } catch {
    return null;
  }
}

/** Take a change over; false when one before it was missed. */
function taken(message: Message): boolean {
  const { levelId, revision } = levelStore.getState();
  // most are own steps, whose replies have been taken over
  if (message.level !== levelId || (message.revision ?? 0) <= revision) return true;
  try {
    return applyDelta(message.whole ? message.whole() : (message as Delta));
  } catch {
    return false; // columns that cannot be read: the level is loaded anew
  }
}

/** Another opening is open: of the same project, with which the page goes along, or of another one. */
function meetOther(message: Message): void {
  const other = openingIn(message);
  if (other && goesAlong(other)) void askProject();
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
      `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}${within(`levels/${level}/live`)}?columns=true&revision=${revision}`,
    );
    socket.binaryType = "arraybuffer";
    socket.onopen = () => {
      wait = 500;
      levelStore.setState({ online: true });
      void lookWhatStands();
    };
    socket.onmessage = (event: MessageEvent<unknown>) => {
      const message = read(event.data);
      // own steps arrive here too, usually after their reply: while one is on its way, what comes waits for it
      window.setTimeout(
        () =>
          whenAtRest(() => {
            if (stopped) return;
            if (message?.page === "other") meetOther(message);
            else if (message?.revision === undefined || !taken(message)) void reload().catch(lost);
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
