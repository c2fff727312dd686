import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import { BufferGeometry, Float32BufferAttribute, Points, PointsMaterial } from "three";
import { useOwned } from "../canvas/useOwned";

/** Points as squares of some pixels, seen through everything. */
export function Dots({ points, colour, size }: { points: number[][]; colour: string; size: number }) {
  const invalidate = useThree((s) => s.invalidate);
  const dots = useOwned(() => {
    const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(points.flat(), 3));
    const made = new Points(
      geometry,
      new PointsMaterial({ color: colour, size, sizeAttenuation: false, depthTest: false, transparent: true }),
    );
    made.renderOrder = 12;
    made.frustumCulled = false;
    return made;
  }, [points, colour, size]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again with other points
  useEffect(() => invalidate(), [dots, invalidate]);
  return <primitive object={dots} />;
}
