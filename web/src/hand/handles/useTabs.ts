import { useThree } from "@react-three/fiber";
import { useLayoutEffect } from "react";
import type { Object3D } from "three";
import { viewport } from "../../viewport/controller";

/** Have tabs be pointed at and grabbed for as long as they are in sight. */
export function useTabs(tabs: readonly Object3D[] | undefined, visible: boolean): void {
  const invalidate = useThree((s) => s.invalidate);
  useLayoutEffect(() => {
    if (!visible || !tabs) return;
    for (const tab of tabs) viewport.handles.add(tab);
    invalidate();
    return () => {
      for (const tab of tabs) viewport.handles.delete(tab);
      invalidate();
    };
  }, [visible, tabs, invalidate]);
}
