import { type DependencyList, useEffect, useMemo } from "react";
import { letGo } from "./resources";

/** What `make` gives, made anew as `deps` change; what was there before is let go, as when the component leaves. */
export function useOwned<T>(make: () => T, deps: DependencyList): T {
  // biome-ignore lint/correctness/useExhaustiveDependencies: the caller's
  const owned = useMemo(make, deps);
  useEffect(() => () => letGo(owned), [owned]);
  return owned;
}
