import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  BufferGeometry,
  DoubleSide,
  Float32BufferAttribute,
  type Matrix4,
  Mesh,
  MeshBasicMaterial,
  type Object3D,
  Points,
  PointsMaterial,
} from "three";
import { LineMaterial } from "three/examples/jsm/lines/LineMaterial.js";
import { LineSegments2 } from "three/examples/jsm/lines/LineSegments2.js";
import { LineSegmentsGeometry } from "three/examples/jsm/lines/LineSegmentsGeometry.js";
import { useStore } from "zustand";
import { elementDrag } from "../../state/drag";
import { type ElementKind, kindOfMode, openPiece, useElements } from "../../state/elements";
import { shown, useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { finishOf, sourceOf } from "../../state/source";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { letGo } from "../canvas/resources";
import { useMesh } from "../pieces/meshes";
import { type Cage, cageOf } from "./cage";
import { heldMatrix, openItems } from "./open";

/** Vertices of a piece that are shown as dots while vertices are picked, at most. */
const MOST_DOTS = 20_000;

/** The places of elements: of faces their triangles, of edges their ends, of vertices themselves. */
export function placesOf(cage: Cage, kind: ElementKind, ids: Iterable<number>): Float32Array {
  const out: number[] = [];
  const add = (v: number) => {
    out.push(cage.places[3 * v] as number, cage.places[3 * v + 1] as number, cage.places[3 * v + 2] as number);
  };
  if (kind === "face") {
    const chosen = ids instanceof Set ? (ids as ReadonlySet<number>) : new Set(ids);
    for (let t = 0; t < cage.faces.length; t++) {
      if (!chosen.has(cage.faces[t] as number)) continue;
      for (let k = 0; k < 3; k++) add(cage.triangles[3 * t + k] as number);
    }
  } else if (kind === "edge") {
    for (const edge of ids) {
      add(cage.ends[2 * edge] as number);
      add(cage.ends[2 * edge + 1] as number);
    }
  } else for (const v of ids) add(v);
  return new Float32Array(out);
}

/** What is picked of the open piece, and what the next click would pick, painted where it stands. */
export function Picked({ scheme }: { scheme: Scheme }) {
  const stage = useView((v) => v.stage);
  const ids = useSelection((s) => s.ids);
  const scene = useLevel(shown);
  const { piece, mesh, kind, ids: chosen, hovered, ended, mode } = useElements((s) => s);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is open depends on all of these
  const open = useMemo(() => openPiece(), [stage, ids, scene]);
  const seen = open ? scene.pieces.get(open.id) : undefined;
  // a drag shows the same elements elsewhere; a preview has others
  const dragging = seen?.mesh.startsWith("drag") === true;
  const held = useStore(elementDrag, ({ world }) => world !== null);
  const source = open ? sourceOf(open) : "";
  const own = open !== null && (dragging || held || (seen !== undefined && sourceOf(seen) === source));
  const drawn = useMesh(own ? source : "", own);
  const picked = open && piece === open.id && mesh === source ? chosen : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: where the open piece stands depends on these
  const items = useMemo(() => openItems(), [open, stage, ids, scene]);
  const cage = drawn && cageOf(drawn);
  // of what is shown smoother the few faces that are edited are drawn over it
  const smooth = seen !== undefined && (finishOf(seen)?.levels ?? 0) > 0;
  const few = useMesh(smooth ? sourceOf(seen) : "", smooth);
  const over = smooth && few ? cageOf(few) : null;
  const edges = useMemo(() => (over ? Array.from({ length: over.ends.length / 2 }, (_, k) => k) : []), [over]);
  const every = useMemo(() => (cage ? Array.from({ length: cage.places.length / 3 }, (_, k) => k) : []), [cage]);
  if (!open || !cage) return null;
  const fresh = hovered && !dragging && !held && !hovered.ids.every((id) => picked?.has(id)) ? hovered.ids : null;
  return (
    <>
      {over && <Elements cage={over} kind="edge" ids={edges} items={items} colour={scheme.ink} strength={0.5} small />}
      {mode === "vertex" && !dragging && every.length <= MOST_DOTS && (
        <Elements cage={cage} kind="vertex" ids={every} items={items} colour={scheme.ink} strength={0.55} small />
      )}
      {picked && picked.size > 0 && (
        <Elements cage={cage} kind={kind} ids={picked} items={items} colour={scheme.petrol} strength={0.6} dragged />
      )}
      {picked && ended.size > 0 && !dragging && (
        <Elements cage={cage} kind="face" ids={ended} items={items} colour={scheme.ochre} strength={0.55} />
      )}
      {fresh && (
        <Elements cage={cage} kind={kindOfMode(mode)} ids={fresh} items={items} colour={scheme.ochre} strength={0.4} />
      )}
    </>
  );
}

interface ElementsProps {
  cage: Cage;
  kind: ElementKind;
  ids: Iterable<number>;
  items: readonly Matrix4[];
  colour: string;
  /** How strongly faces are painted over. */
  strength: number;
  small?: boolean;
  /** Whether they go along with a drag. */
  dragged?: boolean;
}

function Elements({ cage, kind, ids, items, colour, strength, small = false, dragged = false }: ElementsProps) {
  const invalidate = useThree((s) => s.invalidate);
  const size = useThree((s) => s.size);
  const made = useMemo(() => {
    const places = placesOf(cage, kind, ids);
    const one = drawnBy(kind, places, colour, strength, small);
    return items.map((matrix) => {
      const object = one();
      object.matrixAutoUpdate = false;
      object.matrix.copy(matrix);
      object.matrixWorldNeedsUpdate = true;
      object.renderOrder = kind === "face" ? 8 : 9;
      object.frustumCulled = false;
      object.raycast = () => undefined;
      return object;
    });
  }, [cage, kind, ids, items, colour, strength, small]);
  useEffect(() => {
    if (!dragged) return;
    // as it moves on the item where it is held, so it does on all
    const follow = ({ world }: { world: Matrix4 | null }) => {
      const held = heldMatrix();
      const own = world !== null && held !== null ? held.clone().invert().multiply(world).multiply(held) : null;
      for (const [k, object] of made.entries()) {
        object.matrix.copy(items[k] as Matrix4);
        if (own) object.matrix.multiply(own);
        object.matrixWorldNeedsUpdate = true;
      }
    };
    follow(elementDrag.getState());
    return elementDrag.subscribe(follow);
  }, [made, items, dragged]);
  useEffect(() => {
    for (const object of made) {
      const material = (object as Mesh).material;
      if (material instanceof LineMaterial) material.resolution.set(size.width, size.height);
    }
    invalidate();
  }, [made, size, invalidate]);
  useEffect(
    () => () => {
      letGo(made);
      viewport.redraw();
    },
    [made],
  );
  return made.map((object) => <primitive key={object.uuid} object={object} />);
}

/** How elements of a kind are drawn, again and again with one geometry. */
function drawnBy(
  kind: ElementKind,
  places: Float32Array,
  colour: string,
  strength: number,
  small: boolean,
): () => Object3D {
  if (kind === "edge") {
    const geometry = new LineSegmentsGeometry();
    if (places.length) geometry.setPositions(places);
    const material = new LineMaterial({
      color: colour,
      linewidth: small ? 1 : 3.5,
      opacity: small ? strength : 1,
      transparent: true,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: -4,
      polygonOffsetUnits: -4,
    });
    return () => new LineSegments2(geometry, material);
  }
  const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(places, 3));
  if (kind === "vertex") {
    const material = new PointsMaterial({
      color: colour,
      size: small ? 4 : 9,
      sizeAttenuation: false,
      transparent: true,
      opacity: small ? strength : 1,
      depthTest: small,
      depthWrite: false,
    });
    return () => new Points(geometry, material);
  }
  const material = new MeshBasicMaterial({
    color: colour,
    opacity: strength,
    transparent: true,
    side: DoubleSide,
    polygonOffset: true,
    polygonOffsetFactor: -1,
    polygonOffsetUnits: -1,
    depthWrite: false,
  });
  return () => new Mesh(geometry, material);
}
