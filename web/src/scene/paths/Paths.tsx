import { useThree } from "@react-three/fiber";
import { useLayoutEffect, useMemo } from "react";
import { BufferGeometry, Float32BufferAttribute, Line, LineBasicMaterial, LineSegments, Matrix4 } from "three";
import type { Path, Vector } from "../../api/types";
import { useDrag } from "../../state/drag";
import { shown, useLevel } from "../../state/level";
import { useChosen } from "../../state/pathPoints";
import { useSelection } from "../../state/selection";
import { reach } from "../../state/tree";
import { useView } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { length, useUnit } from "../../ui/lengths";
import { useOwned } from "../canvas/useOwned";
import { isDrawn } from "../pieces/entries";
import { Tag } from "../signs/Measures";
import { Dots } from "./Dots";
import { handleEnds, pathInReach } from "./inReach";

/** All paths as lines, and the points of the selected one. */
export function Paths({ scheme }: { scheme: Scheme }) {
  const scene = useLevel(shown);
  const isolated = useView((v) => v.isolated);
  const ids = useSelection((s) => s.ids);
  const hovered = useSelection((s) => s.hovered);
  const dragged = useDrag((s) => s.now);
  const chosenIds = useMemo(() => reach(scene.things, ids), [scene.things, ids]);
  const chosen = pathInReach(scene.things, ids);
  return (
    <>
      {[...scene.paths].map(([id, path]) => {
        const thing = scene.things.get(id);
        if (!thing || !isDrawn(scene, thing, isolated)) return null;
        const colour = chosenIds.has(id) ? scheme.petrol : hovered === id ? scheme.ochre : scheme.brick;
        const by = dragged?.of.get(id);
        return <Polyline key={id} points={path.line} colour={colour} strong={chosenIds.has(id)} by={by} />;
      })}
      {chosen && !dragged?.of.has(chosen.id) && <PathPoints path={chosen} scheme={scheme} />}
    </>
  );
}

interface PolylineProps {
  points: number[][];
  colour: string;
  strong: boolean;
  /** The matrix by which it is dragged. */
  by: Matrix4 | undefined;
}

const still = new Matrix4();

/** A line seen in full where it is free, and faintly where something stands before it. */
function Polyline({ points, colour, strong, by }: PolylineProps) {
  const invalidate = useThree((s) => s.invalidate);
  const lines = useOwned(() => {
    const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(points.flat(), 3));
    return [true, false].map((depthTest) => {
      const opacity = depthTest ? 1 : strong ? 0.7 : 0.12;
      const made = new Line(geometry, new LineBasicMaterial({ color: colour, depthTest, transparent: true, opacity }));
      made.renderOrder = 10;
      made.frustumCulled = false;
      return made;
    });
  }, [points, colour, strong]);
  useLayoutEffect(() => {
    for (const line of lines) {
      line.matrixAutoUpdate = false;
      line.matrix.copy(by ?? still);
      line.matrixWorldNeedsUpdate = true;
    }
    invalidate();
  }, [lines, by, invalidate]);
  return lines.map((line) => <primitive key={line.uuid} object={line} />);
}

function PathPoints({ path, scheme }: { path: Path; scheme: Scheme }) {
  const unit = useUnit();
  const ends = handleEnds(path);
  const view = useLevel((s) => shown(s).paths.get(path.id));
  const chosen = useChosen();
  const picked = chosen?.path === path.id ? chosen.points : [];
  const arms = useOwned(() => {
    const at = ends.flatMap((e) => [...(path.points[e.point]?.position ?? []), ...e.at]);
    const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(at, 3));
    const made = new LineSegments(geometry, new LineBasicMaterial({ color: scheme.ochre, depthTest: false }));
    made.renderOrder = 11;
    made.frustumCulled = false;
    return made;
  }, [path, ends, scheme]);
  return (
    <>
      <Dots points={path.points.map((p) => p.position)} colour={scheme.petrol} size={10} />
      {picked.length > 0 && (
        <Dots
          points={picked.flatMap((k) => (path.points[k] ? [path.points[k].position] : []))}
          colour={scheme.brick}
          size={13}
        />
      )}
      {view?.tightest && view.smallest_radius != null && (
        <>
          <Dots points={[view.tightest]} colour={scheme.ochre} size={6} />
          <Tag
            at={view.tightest as Vector}
            text={`r ${length(view.smallest_radius, 2, unit)}`}
            colour={scheme.ochre}
            lift={0.6}
          />
        </>
      )}
      {ends.length > 0 && <primitive object={arms} />}
      {ends.length > 0 && <Dots points={ends.map((e) => e.at)} colour={scheme.ochre} size={8} />}
    </>
  );
}
