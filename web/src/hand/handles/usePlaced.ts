import { useFrame } from "@react-three/fiber";
import { useLayoutEffect, useRef } from "react";
import { viewport } from "../../viewport/controller";

/** Have a part of the view placed before each picture, and before something is picked that no picture has shown yet. */
export function usePlaced(place: () => void): void {
  const latest = useRef(place);
  useLayoutEffect(() => {
    latest.current = place;
  });
  useFrame(() => latest.current());
  useLayoutEffect(() => {
    const now = () => latest.current();
    viewport.placers.add(now);
    return () => {
      viewport.placers.delete(now);
    };
  }, []);
}
