import type { ToolInfo } from "../api/types";
import { type KeyEntry, keyOf, type Scope } from "../ui/keyMap";

/** What shapes and slims has its keys in its own stage alone. */
export const scopeOf = (tool: ToolInfo): Scope => {
  const of = tool.stages.find((s) => s !== "shape" && s !== "slim") ? undefined : tool.stages[0];
  return of === "shape" || of === "slim" ? of : "everywhere";
};

/** The key that a tool has now; null for none. */
export const toolKey = (tool: ToolInfo): string | null => (tool.key ? keyOf(tool.key, scopeOf(tool)) || null : null);

/** What the keys of tools say in the list of keys, where a title alone says too little. */
const WORDS: Readonly<Record<string, string>> = {
  "everywhere:Ctrl+D": "duplicate linked",
  "everywhere:K": "dock: grip, then landing",
  "everywhere:M": "measure",
  "everywhere:P": "set pivot; while picking, take pivots",
  "everywhere:Z": "sizing tabs, on and off",
};

/** The keys of tools; those that share one, which the selection tells apart, are one entry. */
export function toolEntries(tools: readonly ToolInfo[]): KeyEntry[] {
  const titles = new Map<string, KeyEntry>();
  for (const tool of tools) {
    if (!tool.key || tool.hidden) continue;
    const scope = scopeOf(tool);
    const name = `${scope}:${tool.key}`;
    const before = titles.get(name);
    const title = tool.title.toLowerCase();
    const does = WORDS[name] ?? (before ? `${before.does}, ${title}` : title);
    titles.set(name, { scope, ours: tool.key, does });
  }
  return [...titles.values()];
}
