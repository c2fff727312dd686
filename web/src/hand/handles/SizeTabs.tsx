import { useMemo } from "react";
import {
  BoxGeometry,
  BufferGeometry,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  type Vector3,
} from "three";
import { useOwned } from "../../scene/canvas/useOwned";
import { useDrag } from "../../state/drag";
import { held, useHandles } from "../../state/handles";
import { useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { placeIn, type SizeBox, sizeBox } from "./sizeBox";
import { sharesOf } from "./sizeDrag";
import { usePlaced } from "./usePlaced";
import { useTabs } from "./useTabs";
import { useHandlesWanted } from "./wanted";

const TABS = ["c0", "c1", "c2", "c3", "c4", "c5", "c6", "c7", "xn", "xp", "yn", "yp", "zn", "zp"];
const EDGES = [0, 1, 2, 3, 4, 5, 6, 7, 0, 2, 1, 3, 4, 6, 5, 7, 0, 4, 1, 5, 2, 6, 3, 7];

/** Tabs at the corners and sides of the selection's box, to size it by. */
export function SizeTabs({ scheme }: { scheme: Scheme }) {
  const ids = useSelection((s) => s.ids);
  const scene = useLevel((s) => s.scene);
  const on = useHandles((h) => h.sizing);
  const wanted = useHandlesWanted();
  const dragged = useDrag((s) => s.now);
  const box = useMemo(
    () => (on && viewStore.getState().stage !== "shape" && held(scene, ids) ? sizeBox(scene, ids) : null),
    [on, scene, ids],
  );
  const visible = box !== null && wanted;
  const set = useOwned(() => (box ? tabSet(box, scheme) : null), [box, scheme]);
  useTabs(set?.tabs, visible);
  usePlaced(() => {
    if (!set) return;
    set.group.matrixAutoUpdate = false;
    set.group.matrix.identity();
    if (dragged) set.group.matrix.copy(dragged.place);
    for (const tab of set.tabs) {
      const pixel = viewport.handlePixel(tab.userData.at as Vector3, viewStore.getState());
      tab.scale.setScalar((tab.userData.corner ? 11 : 9) * pixel);
      tab.visible = dragged === null;
    }
  });
  return visible && set ? <primitive object={set.group} /> : null;
}

function tabSet(box: SizeBox, scheme: Scheme) {
  const group = new Group();
  const corners = TABS.slice(0, 8).map((t) => placeIn(box, sharesOf(t)));
  const geometry = new BufferGeometry().setAttribute(
    "position",
    new Float32BufferAttribute(
      EDGES.flatMap((k) => corners[k]?.toArray() ?? []),
      3,
    ),
  );
  const lines = new LineSegments(
    geometry,
    new LineBasicMaterial({ color: scheme.petrol, depthTest: false, transparent: true, opacity: 0.8 }),
  );
  lines.renderOrder = 19;
  group.add(lines);
  const flat = (axis: "x" | "y" | "z") => box.high[axis] - box.low[axis] < 1e-6;
  const tabs = TABS.filter((t) => t.startsWith("c") || (box.even && !flat(t[0] as "x"))).map((name) => {
    const corner = name.startsWith("c");
    const colour = corner ? scheme.petrol : scheme.axes[name[0] as "x"];
    const shape = corner ? new BoxGeometry(1, 1, 1) : new BoxGeometry(1.3, 1.3, 0.35);
    const tab = new Mesh(shape, new MeshBasicMaterial({ color: colour, depthTest: false, transparent: true }));
    const at = placeIn(box, sharesOf(name));
    tab.position.copy(at);
    tab.quaternion.copy(box.turn);
    if (name[0] === "x") tab.rotateY(Math.PI / 2);
    if (name[0] === "y") tab.rotateX(Math.PI / 2);
    Object.assign(tab.userData, { handle: `size-${name}`, rank: corner ? 0 : 1, at, corner });
    tab.renderOrder = 22;
    group.add(tab);
    return tab;
  });
  return { group, tabs };
}
