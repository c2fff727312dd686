import type { Params } from "../api/types";

const used = new Map<string, Params>();

/** Keep what a tool was taken with: its card begins with it next time. */
export const remember = (tool: string, params: Params): void => void used.set(tool, params);

/** What a tool was last taken with. */
export const remembered = (tool: string): Params => used.get(tool) ?? {};
