import { createStore, useStore } from "zustand";
import { defaultsOf } from "../api/fields";
import type { ShapeInfo, ShapeValues } from "../api/types";

interface KitState {
  /** The shape that was drawn last, with its settings; and the settings of each kind. */
  last: string;
  settings: ReadonlyMap<string, ShapeValues>;
  surface: string;
}

export const kitStore = createStore<KitState>(() => ({
  last: "box",
  settings: new Map(),
  surface: "stone",
}));

export const useKit = <T>(choose: (state: KitState) => T): T => useStore(kitStore, choose);
/** The settings that a shape of a kind was drawn with last, or its own. */
export function settingsOf(info: ShapeInfo): ShapeValues {
  return kitStore.getState().settings.get(info.kind) ?? ({ ...defaultsOf(info), kind: info.kind } as ShapeValues);
}

export function rememberShape(shape: ShapeValues, surface: string): void {
  kitStore.setState((s) => ({
    last: shape.kind,
    surface,
    settings: new Map(s.settings).set(shape.kind, shape),
  }));
}
