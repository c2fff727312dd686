import type { Group, Row, Thing } from "../api/types";
import { levelStore, shown } from "./level";
import { viewStore } from "./view";

type Things = ReadonlyMap<string, Thing>;

/** The order of a level's things: what is in which group, and which marks reach down. */
interface Tree {
  inside: Map<string | null, Thing[]>;
  hidden: Set<string>;
  locked: Set<string>;
}

const trees = new WeakMap<Things, Tree>();

function treeOf(things: Things): Tree {
  let tree = trees.get(things);
  if (tree) return tree;
  tree = { inside: new Map(), hidden: new Set(), locked: new Set() };
  trees.set(things, tree);
  for (const thing of things.values()) {
    const key = thing.group && things.has(thing.group) && !inItself(things, thing) ? thing.group : null;
    const list = tree.inside.get(key);
    if (list) list.push(thing);
    else tree.inside.set(key, [thing]);
    if (thing.hidden) tree.hidden.add(thing.id);
    if (thing.locked) tree.locked.add(thing.id);
  }
  for (const marks of [tree.hidden, tree.locked]) {
    for (const id of [...marks]) for (const thing of under(things, [id])) marks.add(thing.id);
  }
  return tree;
}

/** Whether a group is, through others, in itself: only a file from elsewhere has such. */
function inItself(things: Things, thing: Thing): boolean {
  if (thing.kind !== "group") return false;
  const seen = new Set<string>();
  for (let id = thing.group; id && !seen.has(id); id = things.get(id)?.group) {
    if (id === thing.id) return true;
    seen.add(id);
  }
  return false;
}

/** What is directly in a group; in the level itself for null. */
export const insideOf = (things: Things, group: string | null): readonly Thing[] =>
  treeOf(things).inside.get(group) ?? [];

/** Things and everything in them, each once; ids of what is not there are left out. */
export function under(things: Things, ids: Iterable<string>): Thing[] {
  const out = new Map<string, Thing>();
  const waiting = [...ids].reverse();
  while (waiting.length) {
    const thing = things.get(waiting.pop() ?? "");
    if (!thing || out.has(thing.id)) continue;
    out.set(thing.id, thing);
    if (thing.kind === "group") waiting.push(...insideOf(things, thing.id).map((t) => t.id));
  }
  return [...out.values()];
}

/** The ids of things and of everything in them. */
export const reach = (things: Things, ids: Iterable<string>): Set<string> =>
  new Set(under(things, ids).map((t) => t.id));

/** The ids of what goes along when things are moved: everything in them, and what is laid along their paths. */
export function goingAlong(things: Things, ids: Iterable<string>): Set<string> {
  const out = reach(things, ids);
  for (const thing of things.values()) if (thing.kind === "course" && out.has(thing.path)) out.add(thing.id);
  return out;
}

/** Rows without the courses whose paths are among them, or in a group that is: those go along by themselves. */
export function withoutFollowers<T extends Row>(things: Things, rows: readonly T[]): T[] {
  if (!rows.some((row) => row.kind === "course")) return [...rows];
  const moved = reach(
    things,
    rows.map((row) => row.id),
  );
  return rows.filter((row) => row.kind !== "course" || !moved.has(row.path));
}

/** The groups that a thing is in, the innermost first. */
export function over(things: Things, thing: Thing): Group[] {
  const out: Group[] = [];
  for (let group = things.get(thing.group ?? ""); group?.kind === "group"; group = things.get(group.group ?? "")) {
    if (out.includes(group)) break;
    out.push(group);
  }
  return out;
}

/** Whether a thing, or a group that it is in, is hidden. */
export const isHidden = (things: Things, id: string): boolean => treeOf(things).hidden.has(id);

/** Whether a thing, or a group that it is in, is locked. */
export const isLocked = (things: Things, id: string): boolean => treeOf(things).locked.has(id);

/** What a click on a thing means: the outermost group that it is in, within the group that is worked on. */
export function picked(things: Things, id: string, inside: string | null): string | null {
  const thing = things.get(id);
  if (!thing) return null;
  const path = [thing, ...over(things, thing)];
  if (inside === null) return path.at(-1)?.id ?? null;
  const at = path.findIndex((t) => t.id === inside);
  return at > 0 ? (path[at - 1]?.id ?? null) : null;
}

/** What can be selected as one where one works now: what is directly in the level, or in the group that is open. */
export function here(): string[] {
  const { things } = shown(levelStore.getState());
  return insideOf(things, viewStore.getState().inside).map((t) => t.id);
}
