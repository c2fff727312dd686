import { useMemo } from "react";
import { Vector3 } from "three";
import { shown, useLevel } from "../../state/level";
import { useRungs } from "../../state/rungs";
import { useSelection } from "../../state/selection";
import type { Scheme } from "../../theme/tokens";
import { Dots } from "../paths/Dots";
import { itemsOf } from "./entries";
import { useSeams } from "./seams";

/** Points that are drawn at most. */
const MOST = 60_000;

/** The vertices that stay on all rungs, on what is selected. */
export function Seams({ scheme }: { scheme: Scheme }) {
  const id = useRungs((s) => (s.seams ? s.piece : null));
  const scene = useLevel(shown);
  const ids = useSelection((s) => s.ids);
  const points = useSeams(id === null ? null : (scene.pieces.get(id) ?? null));
  const all = useMemo(() => {
    if (!points || id === null) return [];
    const items = itemsOf(scene, ids, id).slice(0, Math.max(1, Math.floor(MOST / Math.max(points.length, 1))));
    return items.flatMap((matrix) => points.map((p) => new Vector3(...p).applyMatrix4(matrix).toArray()));
  }, [points, scene, ids, id]);
  return all.length > 0 && <Dots points={all} colour={scheme.brick} size={5} />;
}
