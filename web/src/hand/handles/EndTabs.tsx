import {
  BufferGeometry,
  CylinderGeometry,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  OctahedronGeometry,
  Quaternion,
  Vector3,
} from "three";
import type { End } from "../../api/types";
import { useOwned } from "../../scene/canvas/useOwned";
import { useDrag } from "../../state/drag";
import { useEnds } from "../../state/ends";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { usePlaced } from "./usePlaced";
import { useTabs } from "./useTabs";
import { useHandlesWanted } from "./wanted";

const UP = new Vector3(0, 1, 0);
/** Settings that say how many. */
const COUNTS: readonly End["of"][] = ["count", "rows", "layers"];

/** Tabs at the ends of a selected array: caps that are pulled for more items, and diamonds for where they reach. */
export function EndTabs({ scheme }: { scheme: Scheme }) {
  const { found } = useEnds();
  const wanted = useHandlesWanted();
  const handle = useDrag((s) => s.handle);
  const moved = useDrag((s) => s.now);
  const visible =
    found !== null && wanted && viewStore.getState().stage !== "shape" && moved === null && !handle?.startsWith("end-");
  const set = useOwned(() => (found ? tabs(found.ends, scheme) : null), [found, scheme]);
  useTabs(set?.tabs, visible);
  usePlaced(() => {
    for (const tab of set?.tabs ?? []) tab.scale.setScalar(viewport.handlePixel(tab.position, viewStore.getState()));
  });
  return visible && set ? <primitive object={set.group} /> : null;
}

function tabs(ends: readonly End[], scheme: Scheme) {
  const group = new Group();
  const made = ends.map((end) => {
    const counts = COUNTS.includes(end.of);
    const shape = counts ? new CylinderGeometry(8, 8, 5, 20) : new OctahedronGeometry(8);
    const colour = counts ? scheme.petrol : scheme.ochre;
    const tab = new Mesh(shape, new MeshBasicMaterial({ color: colour, depthTest: false, transparent: true }));
    tab.position.set(...end.at);
    if (!end.turn) tab.quaternion.copy(new Quaternion().setFromUnitVectors(UP, new Vector3(...end.way)));
    Object.assign(tab.userData, { handle: `end-${end.of}`, rank: -1 });
    tab.renderOrder = 23;
    group.add(tab);
    return tab;
  });
  // a thin line leads to the outermost tab of each way, so that it is seen whose end that is
  const lines = ends.filter((e) => COUNTS.includes(e.of) || e.of === "radius").flatMap((e) => [...e.base, ...e.at]);
  const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute(lines, 3));
  const line = new LineSegments(
    geometry,
    new LineBasicMaterial({ color: scheme.petrol, depthTest: false, transparent: true, opacity: 0.5 }),
  );
  line.renderOrder = 18;
  line.frustumCulled = false;
  group.add(line);
  return { group, tabs: made };
}
