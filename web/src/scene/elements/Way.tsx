import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import {
  BufferGeometry,
  Float32BufferAttribute,
  Line,
  LineBasicMaterial,
  Points,
  PointsMaterial,
  type Vector3,
} from "three";
import { useOwned } from "../canvas/useOwned";

/** A way over the mesh from place to place, drawn over everything. */
export function Way({ points, colour }: { points: readonly Vector3[]; colour: string }) {
  const invalidate = useThree((s) => s.invalidate);
  const key = points.map((p) => p.toArray().join()).join(";");
  const made = useOwned(() => {
    const places = new Float32BufferAttribute(
      points.flatMap((p) => p.toArray()),
      3,
    );
    const geometry = new BufferGeometry().setAttribute("position", places);
    const seen = { color: colour, depthTest: false, transparent: true };
    const objects = [
      new Line(geometry, new LineBasicMaterial(seen)),
      new Points(geometry, new PointsMaterial({ ...seen, size: 9, sizeAttenuation: false })),
    ];
    for (const object of objects) {
      object.renderOrder = 25;
      object.frustumCulled = false;
      object.raycast = () => undefined;
    }
    return { geometry, objects };
  }, [key, colour]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again where it has changed
  useEffect(() => {
    invalidate();
    return invalidate;
  }, [made, invalidate]);
  return made.objects.map((object) => <primitive key={object.uuid} object={object} />);
}
