import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useLayoutEffect, useMemo } from "react";
import type { BufferAttribute, BufferGeometry } from "three";
import { useDrag } from "../../state/drag";
import { type Scene, shown, useLevel } from "../../state/level";
import { reach } from "../../state/tree";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { type Entry, seenPiece } from "./entries";
import type { ViewMesh } from "./meshes";
import { OutlineBuffer, type Part, roomFor } from "./outlineBuffer";

/** Edges of a piece in the whole level, up to which they are drawn together with those of the others. */
const MOST = 40_000;

/** The pieces whose edges are drawn together, in one go: what a frame costs is mostly how often something is drawn. */
export function outlinedTogether(
  scene: Scene,
  entries: ReadonlyMap<string, readonly Entry[]>,
  meshes: ReadonlyMap<string, ViewMesh>,
): ReadonlyMap<string, Float32Array> {
  const out = new Map<string, Float32Array>();
  for (const [id, list] of entries) {
    const mesh = meshes.get(seenPiece(scene, id)?.mesh ?? "");
    if (!mesh?.outline) continue;
    const ends = endsOf(mesh.outline);
    if ((ends.length / 6) * list.length <= MOST) out.set(id, ends);
  }
  return out;
}

const cached = new WeakMap<BufferGeometry, Float32Array>();

/** The ends of line segments, six numbers each. */
function endsOf(lines: BufferGeometry): Float32Array {
  let ends = cached.get(lines);
  if (!ends) {
    const plain = lines.index ? lines.toNonIndexed() : lines;
    ends = new Float32Array((plain.getAttribute("position") as BufferAttribute).array);
    cached.set(lines, ends);
  }
  return ends;
}

interface OutlinesProps {
  entries: ReadonlyMap<string, readonly Entry[]>;
  together: ReadonlyMap<string, Float32Array>;
  scheme: Scheme;
}

/** The edges of many pieces as one object. */
export function Outlines({ entries, together, scheme }: OutlinesProps) {
  const scene = useLevel(shown);
  const inside = useView((v) => v.inside);
  const dragged = useDrag((s) => s.now);
  const invalidate = useThree((s) => s.invalidate);
  const within = useMemo(() => (inside === null ? null : reach(scene.things, [inside])), [scene.things, inside]);
  const parts = useMemo(() => {
    const list: Part[] = [];
    let at = 0;
    for (const [id, ends] of together) {
      const piece = seenPiece(scene, id);
      if (!piece) continue;
      for (const entry of entries.get(id) ?? []) {
        if (within && !within.has(entry.thing)) continue;
        list.push({ entry, piece, ends, at });
        at += ends.length;
      }
    }
    return { list, room: roomFor(at) };
  }, [entries, together, within, scene]);
  const buffer = useMemo(() => new OutlineBuffer(parts.room, scheme.ink), [parts.room, scheme]);
  useEffect(() => () => buffer.dispose(), [buffer]);
  useLayoutEffect(() => {
    buffer.place(
      parts.list,
      parts.list.map((part) => dragged?.of.get(part.entry.thing)),
    );
    invalidate();
  }, [buffer, parts, dragged, invalidate]);
  useFrame(() => buffer.look(viewport.pixelScale()));
  return parts.list.length > 0 ? <primitive object={buffer.lines} /> : null;
}
