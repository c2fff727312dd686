import { createStore, useStore } from "zustand";
import { keep, keptObject } from "../theme/kept";

/** Where a key does something: in one stage, or everywhere. */
export type Scope = "everywhere" | "shape" | "slim";

/** What a key does, unless a person has chosen another one for it. */
export interface KeyEntry {
  scope: Scope;
  /** The key that it has from us: `H`, `Shift+H`, `Ctrl+D`, `Del`. */
  ours: string;
  does: string;
}

export type KeyMap = Readonly<Record<string, string>>;

const NAME = "keys";
const NAMED: Record<string, string> = { delete: "Del", home: "Home", end: "End", insert: "Ins" };
/** Those with Ctrl that browsers leave to a page. */
const WITH_CTRL = "ABDEGIKMQYZ";
/** Keys that mean the same everywhere, and those that picking in Shape needs. */
const FIXED: Record<Scope, string> = { everywhere: "?+0123456789()*/", shape: "VEFRQ", slim: "V" };

const nameOf = ({ scope, ours }: Pick<KeyEntry, "scope" | "ours">): string => `${scope}:${ours}`;

function keptMap(): KeyMap {
  return Object.fromEntries(
    Object.entries(keptObject(NAME)).flatMap(([name, key]) => (typeof key === "string" ? [[name, key]] : [])),
  );
}

export const keyMapStore = createStore<{ own: KeyMap }>(() => ({ own: keptMap() }));
export const useKeyMap = (): KeyMap => useStore(keyMapStore, (s) => s.own);

/** The key that something has now; empty where it has none. */
export const keyOf = (ours: string, scope: Scope = "everywhere", own = keyMapStore.getState().own): string =>
  own[nameOf({ scope, ours })] ?? ours;

/** A key as it is shown. */
export const keyShown = (key: string): string => (key === "-" ? "−" : key.replaceAll("+", " "));

/** The key that something has now, as it is shown. */
export const useKeyOf = (ours: string, scope: Scope = "everywhere"): string =>
  keyShown(keyOf(ours, scope, useKeyMap()));

/** The key that is pressed, with those that are held; null for one that stands for nothing alone. */
export function pressedKey(event: Pick<KeyboardEvent, "key" | "shiftKey" | "ctrlKey" | "metaKey">): string | null {
  const named = NAMED[event.key.toLowerCase()];
  if (!named && event.key.length !== 1) return null;
  const letter = named ?? event.key.toUpperCase();
  // what Shift makes of a sign is a sign of its own
  const shift = event.shiftKey && (named !== undefined || letter !== letter.toLowerCase());
  return `${event.ctrlKey || event.metaKey ? "Ctrl+" : ""}${shift ? "Shift+" : ""}${letter}`;
}

/** Why nothing can be put on a key; null where it can. */
export function whyNotKey(key: string, scope: Scope): string | null {
  const parts = key.split("+").filter(Boolean);
  const letter = parts.at(-1) ?? key;
  if (key.startsWith("Ctrl+") && !WITH_CTRL.includes(letter)) return `Ctrl ${letter} belongs to the browser.`;
  if (key.startsWith("Ctrl+")) return null;
  if (letter === " " || FIXED.everywhere.includes(letter)) {
    return `${letter === " " ? "The space bar" : letter} has a meaning of its own; take another key.`;
  }
  const stages: readonly Exclude<Scope, "everywhere">[] = scope === "everywhere" ? ["shape", "slim"] : [scope];
  const taken = stages.find((s) => FIXED[s].includes(letter));
  return taken ? `${letter} is needed in ${taken === "shape" ? "Shape" : "Slim"}; take another key.` : null;
}

/** Whether two keys can be meant at the same time. */
const meet = (a: Scope, b: Scope): boolean => a === b || a === "everywhere" || b === "everywhere";

/** What has a key now that an entry is to get. What we have given the same key can tell itself apart. */
export const takenBy = (entries: readonly KeyEntry[], entry: KeyEntry, key: string): KeyEntry[] =>
  entries.filter(
    (e) =>
      e !== entry &&
      meet(e.scope, entry.scope) &&
      keyOf(e.ours, e.scope) === key &&
      !(e.ours === key && entry.ours === key),
  );

/** Give an entry a key; others that have it lose theirs. */
export function setKey(entries: readonly KeyEntry[], entry: KeyEntry, key: string): void {
  const own: Record<string, string> = { ...keyMapStore.getState().own };
  for (const other of takenBy(entries, entry, key)) own[nameOf(other)] = "";
  if (key === entry.ours) delete own[nameOf(entry)];
  else own[nameOf(entry)] = key;
  change(own);
}

/** Every key as it was from us. */
export const resetKeys = (): void => change({});

function change(own: KeyMap): void {
  keyMapStore.setState({ own });
  keep(NAME, JSON.stringify(own));
}
