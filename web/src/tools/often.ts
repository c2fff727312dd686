import type { ToolInfo } from "../api/types";
import { keep, keptObject } from "../theme/kept";

const NAME = "tools used";
/** What has been used so often counts half from then on, so that habits may change. */
const MOST = 200;

/** Count a use of a tool, on this machine. */
export function countUse(tool: string): void {
  const now = keptObject(NAME);
  const next: Record<string, unknown> = { ...now, [tool]: (Number(now[tool]) || 0) + 1 };
  const halved = Object.fromEntries(Object.entries(next).map(([name, n]) => [name, Math.floor((Number(n) || 0) / 2)]));
  keep(NAME, JSON.stringify(Number(next[tool]) > MOST ? halved : next));
}

/** Those of some tools that are used most, in the order that they have; before any use those with a key. */
export function mostUsed(tools: readonly ToolInfo[], most: number): ToolInfo[] {
  const used = keptObject(NAME);
  const rank = (t: ToolInfo) => 2 * (Number(used[t.tool]) || 0) + (t.key ? 1 : 0);
  const chosen = new Set([...tools].sort((a, b) => rank(b) - rank(a)).slice(0, most));
  return tools.filter((t) => chosen.has(t));
}
