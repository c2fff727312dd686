import { Quaternion, Vector3 } from "three";
import { createStore, useStore } from "zustand";
import type { Feature, Thing, Turn, Vector } from "../api/types";
import { kindOf } from "./kinds";
import { isStanding, type Scene } from "./level";
import { placeOf } from "./place";
import { selectionStore } from "./selection";
import { isHidden, isLocked, withoutFollowers } from "./tree";

export type HandleAxes = "world" | "piece" | "group" | "screen" | "picked";
export type HandlePivot = "middle" | "each" | "first" | "picked" | "typed";

/** How the handles hold the selection: in which axes, about which pivot, and whether they size it. */
export interface HandleSettings {
  axes: HandleAxes;
  /** The axes that were picked. */
  frame: Turn;
  pivot: HandlePivot;
  /** The picked or typed pivot. */
  point: Vector;
  feature: Feature | null;
  sizing: boolean;
}

export const handleStore = createStore<HandleSettings>(() => ({
  axes: "world",
  frame: [0, 0, 0, 1],
  pivot: "middle",
  point: [0, 0, 0],
  feature: null,
  sizing: false,
}));
export const useHandles = <T>(choose: (state: HandleSettings) => T): T => useStore(handleStore, choose);
export const setHandles = (part: Partial<HandleSettings>): void => handleStore.setState(part);

// a temporary pivot is that of the selection it was given to
selectionStore.subscribe((now, before) => {
  if (now.ids.join() === before.ids.join()) return;
  const { pivot, axes } = handleStore.getState();
  if (pivot !== "middle" || axes === "picked") {
    setHandles({
      pivot: pivot === "each" ? "each" : "middle",
      feature: null,
      axes: axes === "picked" ? "world" : axes,
    });
  }
});

/** Something that the handles hold: where it stands, and how it is turned. Paths and measures have no turn. */
export interface Held {
  id: string;
  kind: Thing["kind"];
  position: Vector;
  turn: Turn;
}

function holdable(thing: Thing): Held[] {
  const held = kindOf(thing).held?.(thing);
  return held ? [{ id: thing.id, kind: thing.kind, ...held }] : [];
}

/** What the handles can hold; null when something of the selection cannot be moved by them. */
export function held(scene: Scene, ids: readonly string[]): Held[] | null {
  const { things } = scene;
  const rows = ids.map((id) => things.get(id)).filter((row) => row !== undefined);
  const own = withoutFollowers(things, rows);
  const all = own.flatMap(holdable);
  if (!all.length || rows.length !== ids.length || all.length !== own.length) return null;
  return all.some((t) => isLocked(things, t.id) || isHidden(things, t.id)) ? null : all;
}

const at = (thing: Held): Vector3 => new Vector3(...thing.position);

/** Where the handles stand. */
export function pivotOf(scene: Scene, ids: readonly string[], hold: HandleSettings): Vector3 | null {
  const things = held(scene, ids);
  const [first] = things ?? [];
  if (!things || !first) return null;
  if (hold.pivot === "first") return at(first);
  if (hold.pivot === "picked" || hold.pivot === "typed") return new Vector3(...hold.point);
  const middle = new Vector3();
  for (const thing of things) middle.add(at(thing));
  return middle.divideScalar(things.length);
}

/** The axes of the handles; those of the screen are `screen`. */
export function axesOf(scene: Scene, ids: readonly string[], hold: HandleSettings, screen: Quaternion): Quaternion {
  const first = scene.things.get(ids[0] ?? "");
  switch (hold.axes) {
    case "piece":
      return isStanding(first) ? new Quaternion(...first.turn) : new Quaternion();
    case "group": {
      const group = scene.things.get(first?.group ?? "");
      return group?.kind === "group" ? new Quaternion(...group.turn) : new Quaternion();
    }
    case "screen":
      return screen.clone();
    case "picked":
      return new Quaternion(...hold.frame);
    default:
      return new Quaternion();
  }
}

/** The axes as a tool wants them told. */
export function axesParams(hold: HandleSettings, count: number, frame: Quaternion): { axes: string; frame?: Turn } {
  switch (hold.axes) {
    case "world":
      return { axes: "world" };
    case "piece":
      return { axes: count === 1 ? "piece" : "first" };
    case "group":
      if (count === 1) return { axes: "group" };
  }
  return { axes: "given", frame: frame.toArray() };
}

/** The pivot as a tool wants it told. */
export function aboutParams(hold: HandleSettings, count: number): Record<string, unknown> {
  switch (hold.pivot) {
    case "each":
      return { about_what: "own pivot" };
    case "first":
      return { about_what: "first" };
    case "typed":
      return { about_what: "point", point: hold.point };
    case "picked": {
      if (!hold.feature) return { about_what: "point", point: hold.point };
      return { about_what: "picked", picked: placeOf(hold.feature) };
    }
  }
  return { about_what: count > 1 ? "middle" : "own pivot" };
}
