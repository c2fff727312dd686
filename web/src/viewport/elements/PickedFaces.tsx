import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import { BufferGeometry, DoubleSide, Float32BufferAttribute, Mesh, MeshBasicMaterial } from "three";
import { openPiece, useElements } from "../../state/elements";
import { shown, useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { itemsOf } from "../pieces/entries";
import { useMesh, type ViewMesh } from "../pieces/meshes";

/** The triangles of some faces of a mesh as plain points. */
export function trianglesOf(mesh: ViewMesh, faces: ReadonlySet<number>): Float32Array {
  const out: number[] = [];
  for (const { geometry, faces: of } of mesh.slots) {
    const places = geometry.getAttribute("position");
    const index = geometry.index;
    for (let t = 0; t < of.length; t++) {
      if (!faces.has(of[t] ?? -1)) continue;
      for (let k = 0; k < 3; k++) {
        const v = index ? index.getX(3 * t + k) : 3 * t + k;
        out.push(places.getX(v), places.getY(v), places.getZ(v));
      }
    }
  }
  return new Float32Array(out);
}

/** The picked faces of the open piece, and the one that the next click would pick, painted where they stand. */
export function PickedFaces({ scheme }: { scheme: Scheme }) {
  const stage = useView((v) => v.stage);
  const ids = useSelection((s) => s.ids);
  const scene = useLevel(shown);
  const committed = useLevel((s) => s.scene);
  const { piece, mesh, faces, hovered } = useElements((s) => s);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is open depends on all of these
  const open = useMemo(() => openPiece(), [stage, ids, committed]);
  const drawn = useMesh(open?.mesh ?? "", open !== null);
  const picked = open && piece === open.id && mesh === open.mesh ? faces : null;
  const previewed = open !== null && scene.pieces.get(open.id)?.mesh !== open.mesh;
  const items = useMemo(() => {
    if (!open || stage !== "shape") return [];
    const shelf = ids[0] === open.id;
    const where = shelf ? [...scene.things.keys()] : ids;
    return itemsOf(scene, where, open.id).slice(0, 200);
  }, [open, stage, ids, scene]);
  if (!open || !drawn || previewed) return null;
  return (
    <>
      {picked && picked.size > 0 && (
        <Faces mesh={drawn} faces={picked} items={items} colour={scheme.petrol} opacity={0.6} />
      )}
      {hovered && !picked?.has(hovered.face) && (
        <Faces mesh={drawn} faces={new Set([hovered.face])} items={items} colour={scheme.ochre} opacity={0.4} />
      )}
    </>
  );
}

interface FacesProps {
  mesh: ViewMesh;
  faces: ReadonlySet<number>;
  items: readonly import("three").Matrix4[];
  colour: string;
  opacity: number;
}

function Faces({ mesh, faces, items, colour, opacity }: FacesProps) {
  const invalidate = useThree((s) => s.invalidate);
  const geometry = useMemo(
    () => new BufferGeometry().setAttribute("position", new Float32BufferAttribute(trianglesOf(mesh, faces), 3)),
    [mesh, faces],
  );
  const made = useMemo(() => {
    const material = new MeshBasicMaterial({
      color: colour,
      opacity,
      transparent: true,
      side: DoubleSide,
      polygonOffset: true,
      polygonOffsetFactor: -1,
      polygonOffsetUnits: -1,
      depthWrite: false,
    });
    return items.map((matrix) => {
      const one = new Mesh(geometry, material);
      one.matrixAutoUpdate = false;
      one.matrix.copy(matrix);
      one.matrixWorldNeedsUpdate = true;
      one.renderOrder = 8;
      return one;
    });
  }, [geometry, items, colour, opacity]);
  useEffect(() => {
    invalidate();
    return () => {
      geometry.dispose();
      invalidate();
    };
  }, [geometry, invalidate]);
  return made.map((one) => <primitive key={one.uuid} object={one} />);
}
