import { useThree } from "@react-three/fiber";
import { Fragment, useEffect, useLayoutEffect, useMemo, useRef } from "react";
import {
  type BufferGeometry,
  InstancedMesh,
  LineBasicMaterial,
  type Material,
  MeshBasicMaterial,
  type MeshLambertMaterial,
  type Plane,
} from "three";
import type { Piece } from "../../api/types";
import { useDrag } from "../../state/drag";
import { useOpenPiece } from "../../state/elements";
import { shown, useLevel } from "../../state/level";
import { useRungs } from "../../state/rungs";
import { useSelection } from "../../state/selection";
import { reach } from "../../state/tree";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { useOwned } from "../canvas/useOwned";
import type { Entry } from "./entries";
import { takeFirst } from "./firstPicture";
import {
  dropCopies,
  dropSurfaceMaterial,
  isMirrored,
  makeCopies,
  placeCopies,
  roomOf,
  surfaceMaterial,
} from "./instances";
import { useMesh, type ViewMesh } from "./meshes";
import { dropPainted, painted, usePaint } from "./paint";

const none: readonly Entry[] = [];

export interface InstancesProps {
  piece: Piece;
  entries: readonly Entry[];
  scheme: Scheme;
  /** Whether its edges are drawn by themselves. */
  alone: boolean;
  /** Whether it is drawn by another mesh than the piece's own. */
  derived: boolean;
  /** What is drawn is on the side of a plane that it looks to. */
  clip?: Plane;
  /** Distances from another mesh are painted on, up to a largest one. */
  paint?: { from: string; most: number };
}

export function PieceInstances(props: InstancesProps) {
  const loaded = useMesh(props.piece.mesh);
  const last = useRef<{ mesh: ViewMesh; of: InstancesProps } | undefined>(undefined);
  if (loaded) last.current = { mesh: loaded, of: props };
  // what is bent stays where it was until its new mesh has come
  const kept = !loaded && props.derived && last.current ? last.current.of : props;
  const { piece, entries } = kept;
  const { scheme, alone, clip } = props;
  const values = usePaint(piece.mesh, props.paint?.from ?? null);
  const most = props.paint?.most ?? 0;
  const mesh = loaded ?? last.current?.mesh;
  const draw = useView((v) => v.draw);
  const glass = draw === "glass";
  const invalidate = useThree((s) => s.invalidate);
  const ids = useSelection((s) => s.ids);
  const hovered = useSelection((s) => s.hovered);
  const things = useLevel((s) => shown(s).things);
  const within = useView((v) => v.inside);
  const open = useOpenPiece();
  // what is not open in Shape stands back like what is not in the group that is worked on
  const dimmed = open !== null && open !== piece.id;
  const inside = dimmed ? "" : within;
  const selected = useMemo(() => {
    const out = reach(things, ids);
    for (const id of ids) out.add(id);
    return out;
  }, [things, ids]);
  const [near, rest] = useMemo(() => {
    if (dimmed) return [none, entries];
    if (inside === null) return [entries, none];
    const within = reach(things, [inside]);
    return [entries.filter((e) => within.has(e.thing)), entries.filter((e) => !within.has(e.thing))];
  }, [entries, things, inside, dimmed]);
  const marked = useMemo(() => {
    return selected.has(piece.id) ? entries : entries.filter((e) => selected.has(e.thing));
  }, [entries, selected, piece.id]);
  // what is open in Shape is seen as it is, and where else it stands lightly marked: there it follows
  const shaping = useView((v) => v.stage === "shape") && ids.length === 1;
  const following = useMemo(
    () =>
      shaping && marked.length > 0 && marked.length < entries.length
        ? entries.filter((e) => !marked.includes(e))
        : none,
    [shaping, marked, entries],
  );
  const under = useMemo(() => {
    if (hovered === null) return none;
    const over = reach(things, [hovered]);
    return entries.filter((e) => (over.has(e.thing) || piece.id === hovered) && !selected.has(e.thing));
  }, [entries, things, hovered, selected, piece.id]);
  const surfaces = useMemo(() => {
    const made =
      mesh && values
        ? painted(mesh, values, most)
        : (mesh?.slots ?? []).map(({ slot, geometry, faces }) => {
            const material = surfaceMaterial(piece, slot, glass, invalidate);
            const faint = inside === null ? null : faded(material);
            return { geometry, material, faint, faces };
          });
    if (clip) for (const { material } of made) material.clippingPlanes = [clip];
    return made;
  }, [mesh, piece, glass, inside, invalidate, clip, values, most]);
  useEffect(
    () => () => {
      for (const { geometry, material, faint } of surfaces) {
        if (!(mesh?.slots ?? []).some((slot) => slot.geometry === geometry)) dropPainted(geometry);
        dropSurfaceMaterial(material);
        faint?.dispose();
      }
    },
    [surfaces, mesh],
  );
  const dark = luminance(piece.materials?.[0]?.colour) < 0.16;
  const inks = useOwned(() => {
    const made = inksOf(scheme, dark, draw === "mesh");
    if (clip) for (const ink of Object.values(made)) ink.clippingPlanes = [clip];
    return made;
  }, [scheme, dark, draw, clip]);
  // what is looked at closely is not washed over
  const laddered = useRungs((s) => s.piece === props.piece.id && s.rung > 0 && props.derived);
  if (!mesh) return null;
  return (
    <>
      {surfaces.map(({ geometry, material, faint, faces }, k) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: slots have no other name
        <Fragment key={k}>
          <Instances
            kind="mesh"
            geometry={geometry}
            material={material}
            entries={near}
            piece={piece}
            faces={faces}
            order={0}
          />
          {faint && rest.length > 0 && (
            <Instances
              kind="mesh"
              geometry={geometry}
              material={faint}
              entries={rest}
              piece={piece}
              faces={dimmed ? faces : undefined}
              order={1}
            />
          )}
        </Fragment>
      ))}
      {alone && draw !== "solid" && mesh.outline && (
        <Instances kind="lines" geometry={mesh.outline} material={inks.edge} entries={near} piece={piece} order={1} />
      )}
      {(draw === "mesh" || (draw === "edges" && open === piece.id)) && mesh.inner && (
        <Instances kind="lines" geometry={mesh.inner} material={inks.inner} entries={near} piece={piece} order={1} />
      )}
      {marked.length > 0 && !laddered && (
        <Overlay
          mesh={mesh}
          overlay={shaping ? inks.open : inks.overlay}
          line={inks.selected}
          entries={marked}
          piece={piece}
          order={3}
        />
      )}
      {following.length > 0 && (
        <Overlay mesh={mesh} overlay={inks.follow} line={inks.selected} entries={following} piece={piece} order={3} />
      )}
      {under.length > 0 && (
        <Overlay mesh={mesh} overlay={inks.hoverOverlay} line={inks.hovered} entries={under} piece={piece} order={2} />
      )}
    </>
  );
}

/** The same look, hardly there: what stands round the group that is worked on. */
function faded(material: MeshLambertMaterial): MeshLambertMaterial {
  const out = material.clone();
  out.transparent = true;
  out.opacity = 0.16;
  out.depthWrite = false;
  return out;
}

/** How light a linear colour is, 0 to 1. */
const luminance = ([r = 1, g = 1, b = 1]: readonly number[] = []): number => 0.2126 * r + 0.7152 * g + 0.0722 * b;

/** Lines and washes; on dark surfaces the inner lines are light, so that the mesh is seen there too. */
function inksOf(scheme: Scheme, dark: boolean, inner: boolean) {
  const overlay = (color: string, opacity: number) =>
    new MeshBasicMaterial({
      color,
      transparent: true,
      opacity,
      depthWrite: false,
      polygonOffset: true,
      polygonOffsetFactor: 0.5,
    });
  return {
    edge: new LineBasicMaterial({ color: scheme.ink, transparent: true, opacity: 0.5 }),
    inner: new LineBasicMaterial({ color: dark ? "#f5f2ea" : scheme.ink, transparent: true, opacity: 0.3 }),
    selected: new LineBasicMaterial({ color: scheme.petrol }),
    hovered: new LineBasicMaterial({ color: scheme.ochre }),
    overlay: overlay(scheme.petrol, inner ? 0.14 : 0.34),
    open: overlay(scheme.petrol, 0.03),
    follow: overlay(scheme.petrol, 0.16),
    hoverOverlay: overlay(scheme.ochre, 0.16),
  };
}

interface OverlayProps {
  mesh: ViewMesh;
  overlay: Material;
  line: Material;
  entries: readonly Entry[];
  piece: Piece;
  order: number;
}

function Overlay({ mesh, overlay, line, entries, piece, order }: OverlayProps) {
  return (
    <>
      {mesh.slots.map(({ slot, geometry }) => (
        <Instances
          key={slot}
          kind="mesh"
          geometry={geometry}
          material={overlay}
          entries={entries}
          piece={piece}
          order={order}
        />
      ))}
      {mesh.outline && (
        <Instances
          kind="lines"
          geometry={mesh.outline}
          material={line}
          entries={entries}
          piece={piece}
          order={order + 1}
        />
      )}
    </>
  );
}

interface OneProps {
  kind: "mesh" | "lines";
  geometry: BufferGeometry;
  material: Material;
  entries: readonly Entry[];
  piece: Piece;
  /** The face of each triangle: what has them can be picked. */
  faces?: ArrayLike<number>;
  order: number;
}

function Instances({ kind, geometry, material, entries, piece, faces, order }: OneProps) {
  const { id } = piece;
  const pickable = faces !== undefined;
  const invalidate = useThree((s) => s.invalidate);
  const room = roomOf(entries.length);
  // what is not dragged is left as it is
  const dragged = useDrag((s) => (s.now && entries.some((e) => s.now?.of.has(e.thing)) ? s.now : null));
  const mirrored = useMemo(() => entries.some(isMirrored), [entries]);
  const copies = useMemo(() => {
    const how = { solid: pickable, mirrored };
    const made =
      (pickable && takeFirst(id, geometry, material, room, mirrored)) ||
      makeCopies(kind, geometry, material, room, how);
    made.drawn.renderOrder = order;
    return made;
  }, [id, kind, geometry, material, room, order, pickable, mirrored]);
  useLayoutEffect(() => {
    copies.each.userData.faces = faces;
    placeCopies(copies, entries, piece, dragged?.of);
    invalidate();
  }, [copies, entries, faces, piece, dragged, invalidate]);
  useEffect(() => {
    const { each } = copies;
    if (pickable && each instanceof InstancedMesh) viewport.pickables.add(each);
    return () => {
      viewport.pickables.delete(each as InstancedMesh);
      dropCopies(copies);
    };
  }, [copies, pickable]);
  return <primitive object={copies.drawn} />;
}
