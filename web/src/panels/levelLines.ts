import type { Thing } from "../api/types";
import { kindOf } from "../state/kinds";
import { madeOrder, type Scene } from "../state/level";
import { insideOf, over } from "../state/tree";

/** More placements of one piece than these, directly in one place, are gathered under a fold. */
export const FOLD_FROM = 12;

/** A row of the level list: a thing, or a fold of many placements of one piece. */
export interface Line {
  id: string;
  name: string;
  kind: Thing["kind"] | "fold";
  thing: Thing | null;
  detail: string;
  inner: Line[];
}

const foldOf = (group: string | null, piece: string) => `fold:${group ?? ""}:${piece}`;

function lineOf(scene: Scene, thing: Thing): Line {
  const { id, name, kind = "placement" } = thing;
  return { id, name, kind, thing, detail: kindOf(thing).detail?.(scene, thing) ?? "", inner: [] };
}

/** What is in a group, or in the level for null: groups, paths with their courses, arrays, placements. */
function linesIn(scene: Scene, group: string | null): Line[] {
  const all = [...insideOf(scene.things, group)].sort(
    (a, b) => kindOf(a).rank - kindOf(b).rank || madeOrder(a.id) - madeOrder(b.id),
  );
  const placements = new Map<string, number>();
  for (const t of all) if (t.kind === "placement") placements.set(t.piece, (placements.get(t.piece) ?? 0) + 1);
  const folds = new Map<string, Line>();
  const out: Line[] = [];
  for (const thing of all) {
    const line = lineOf(scene, thing);
    if (thing.kind === "course" && scene.things.has(thing.path)) continue;
    if (thing.kind === "path") {
      line.inner = all.flatMap((c) => (c.kind === "course" && c.path === thing.id ? [lineOf(scene, c)] : []));
    } else if (thing.kind === "group") line.inner = linesIn(scene, thing.id);
    else if (thing.kind === "placement" && (placements.get(thing.piece) ?? 0) > FOLD_FROM) {
      const key = foldOf(group, thing.piece);
      let fold = folds.get(key);
      if (!fold) {
        const name = scene.pieces.get(thing.piece)?.name ?? "";
        fold = { id: key, name, kind: "fold", thing: null, detail: "", inner: [] };
        folds.set(key, fold);
        out.push(fold);
      }
      fold.inner.push(line);
      fold.detail = String(fold.inner.length);
      continue;
    }
    out.push(line);
  }
  return out;
}

/** The rows of the level list. */
export const levelLines = (scene: Scene): Line[] => linesIn(scene, null);

/** The rows whose names hold all the words, with the rows that they are in. */
export function found(lines: readonly Line[], words: readonly string[]): Line[] {
  return lines.flatMap((line) => {
    const inner = found(line.inner, words);
    const mine = words.every((w) => line.name.toLowerCase().includes(w));
    return mine || inner.length ? [{ ...line, inner: mine && !inner.length ? line.inner : inner }] : [];
  });
}

/** The rows that are shown, with those that are folded away left out: what the list has to build. */
export function unfolded(lines: readonly Line[], expanded: ReadonlySet<string>): Line[] {
  return lines.map((line) =>
    line.inner.length && expanded.has(line.id) ? { ...line, inner: unfolded(line.inner, expanded) } : line,
  );
}

/** The rows that a thing is in, so that they can be unfolded. */
export function linesOver(scene: Scene, thing: Thing): string[] {
  const groups = over(scene.things, thing).map((g) => g.id);
  if (thing.kind === "course") return [...groups, thing.path];
  return thing.kind === "placement" ? [...groups, foldOf(thing.group ?? null, thing.piece)] : groups;
}

/** The place of a row among those that are shown, from the top; −1 where it is folded away. */
export function rowOf(lines: readonly Line[], expanded: ReadonlySet<string>, id: string): number {
  let at = 0;
  const walk = (some: readonly Line[]): boolean =>
    some.some((line) => {
      if (line.id === id) return true;
      at++;
      return expanded.has(line.id) && walk(line.inner);
    });
  return walk(lines) ? at : -1;
}
