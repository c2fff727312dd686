import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  BackSide,
  BufferGeometry,
  DoubleSide,
  Float32BufferAttribute,
  LineBasicMaterial,
  LineSegments,
  type Material,
  type Matrix4,
  Mesh,
  MeshBasicMaterial,
  type Object3D,
  Vector3,
} from "three";
import { useCheck } from "../../api/queries";
import type { Check } from "../../api/types";
import { openPiece, useElements } from "../../state/elements";
import { shown, useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { sourceOf } from "../../state/source";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { letGo } from "../canvas/resources";
import { useMesh, type ViewMesh } from "../pieces/meshes";
import { type Cage, cageOf } from "./cage";
import { openItems } from "./open";
import { placesOf } from "./Picked";

/** Marks on the piece that is open: how an engine cuts it, n-gons and bent quads, borders and faults, backs of faces, and
 * where its normals look. */
export function Checked({ scheme }: { scheme: Scheme }) {
  const on = useView((v) => v.check && v.stage === "shape");
  const ids = useSelection((s) => s.ids);
  const scene = useLevel(shown);
  const level = useLevel((s) => s.levelId);
  useElements((s) => s.mesh);
  const open = on ? openPiece() : null;
  const seen = open && scene.pieces.get(open.id);
  const mesh = useMesh(seen ? sourceOf(seen) : "", seen != null);
  const check = useCheck(level, open);
  // biome-ignore lint/correctness/useExhaustiveDependencies: where the open piece stands depends on these
  const items = useMemo(() => (on ? openItems() : []), [on, ids, scene]);
  if (!on || !open || !mesh || !check || !seen || check.mesh !== sourceOf(seen)) return null;
  return <Marks mesh={mesh} check={check} items={items} scheme={scheme} />;
}

interface MarksProps {
  mesh: ViewMesh;
  check: Check;
  items: readonly Matrix4[];
  scheme: Scheme;
}

function Marks({ mesh, check, items, scheme }: MarksProps) {
  const invalidate = useThree((s) => s.invalidate);
  const made = useMemo(() => marks(mesh, check, scheme), [mesh, check, scheme]);
  const objects = useMemo(
    () =>
      items.flatMap((matrix) =>
        made.map((one) => {
          const object = one();
          object.matrixAutoUpdate = false;
          object.matrix.copy(matrix);
          object.matrixWorldNeedsUpdate = true;
          object.raycast = () => undefined;
          return object;
        }),
      ),
    [made, items],
  );
  useEffect(() => {
    invalidate();
    return () => {
      letGo(objects);
      invalidate();
    };
  }, [objects, invalidate]);
  return objects.map((object) => <primitive key={object.uuid} object={object} />);
}

/** How the marks of a mesh are drawn, each again and again. */
function marks(mesh: ViewMesh, check: Check, scheme: Scheme): (() => Object3D)[] {
  const cage = cageOf(mesh);
  const of = (code: string): Set<number> =>
    new Set(
      (check.kinds.find((k) => k.code === code)?.elements.ids ?? []).flatMap(([a, b]) =>
        Array.from({ length: b - a + 1 }, (_, k) => a + k),
      ),
    );
  const faulty = check.kinds.filter((k) => k.fault && k.elements.kind === "face").flatMap((k) => [...of(k.code)]);
  const near = { polygonOffset: true, polygonOffsetFactor: -0.6, polygonOffsetUnits: -0.6, depthWrite: false };
  const overlay = (color: string) =>
    new MeshBasicMaterial({ color, transparent: true, opacity: 0.35, side: DoubleSide, ...near });
  const ink = (color: string, opacity = 1) => new LineBasicMaterial({ color, transparent: true, opacity });
  const every = placesOf(cage, "face", new Set(cage.faces));
  const back = new MeshBasicMaterial({
    color: scheme.fault,
    transparent: true,
    opacity: 0.45,
    side: BackSide,
    ...near,
  });
  return [
    part(every, back, 5),
    lines(cuts(cage), ink(scheme.ink, 0.28), 6),
    part(placesOf(cage, "face", new Set([...of("n_gons"), ...of("bent")])), overlay(scheme.ochre), 6),
    part(placesOf(cage, "face", new Set(faulty)), overlay(scheme.fault), 7),
    lines(
      placesOf(cage, "edge", new Set([...of("border"), ...of("crowded"), ...of("against"), ...of("seams")])),
      ink(scheme.fault),
      8,
    ),
    lines(normals(mesh, cage), ink(scheme.petrol, 0.8), 8),
  ];
}

const geometryOf = (places: Float32Array): BufferGeometry =>
  new BufferGeometry().setAttribute("position", new Float32BufferAttribute(places, 3));

function part(places: Float32Array, material: Material, order: number): () => Object3D {
  const geometry = geometryOf(places);
  return () => Object.assign(new Mesh(geometry, material), { renderOrder: order, frustumCulled: false });
}

function lines(places: Float32Array, material: Material, order: number): () => Object3D {
  const geometry = geometryOf(places);
  return () => Object.assign(new LineSegments(geometry, material), { renderOrder: order, frustumCulled: false });
}

/** The sides of all triangles: where an engine cuts. */
function cuts({ triangles, places }: Cage): Float32Array {
  const out = new Float32Array(triangles.length * 6);
  for (let t = 0; t < triangles.length; t += 3) {
    for (let k = 0; k < 3; k++) {
      const ends = [triangles[t + k] as number, triangles[t + ((k + 1) % 3)] as number];
      ends.forEach((v, j) => {
        for (let x = 0; x < 3; x++) out[6 * (t + k) + 3 * j + x] = places[3 * v + x] as number;
      });
    }
  }
  return out;
}

/** Share of the mesh's size that the line of a normal is long. */
const LONG = 0.025;

/** A short line along the shaded normal of each vertex that is held. */
function normals({ slots }: ViewMesh, { places }: Cage): Float32Array {
  const low = new Vector3(Infinity, Infinity, Infinity);
  const high = low.clone().negate();
  const p = new Vector3();
  for (let v = 0; v < places.length; v += 3) {
    p.fromArray(places, v);
    low.min(p);
    high.max(p);
  }
  const long = high.sub(low).length() * LONG;
  const out: number[] = [];
  const n = new Vector3();
  for (const { geometry } of slots) {
    const at = geometry.getAttribute("position");
    const normal = geometry.getAttribute("normal");
    if (!normal) continue;
    for (let k = 0; k < at.count; k++) {
      p.fromBufferAttribute(at, k);
      n.fromBufferAttribute(normal, k).multiplyScalar(long).add(p);
      out.push(...p.toArray(), ...n.toArray());
    }
  }
  return new Float32Array(out);
}
