import {
  BufferGeometry,
  CanvasTexture,
  CircleGeometry,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  SRGBColorSpace,
} from "three";
import { useOwned } from "../../scene/canvas/useOwned";
import { useDrag } from "../../state/drag";
import { useElements } from "../../state/elements";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { usePlaced } from "../handles/usePlaced";
import { useTabs } from "../handles/useTabs";
import { useHandlesWanted } from "../handles/wanted";
import { elementPlace, heldElements } from "./hold";

/** How far out it is, and how large, in pixels. */
const OUT = 176;
const SIZE = 28;

/** The round paddle with a plus beyond the picked faces: dragged, it pulls them out. */
export function GrowPaddle({ scheme }: { scheme: Scheme }) {
  const kind = useElements((s) => s.kind);
  const count = useElements((s) => s.ids.size);
  const wanted = useHandlesWanted();
  const held = useDrag((s) => s.handle);
  const set = useOwned(() => paddle(scheme), [scheme]);
  const here = wanted && count > 0 && kind !== "vertex" && (held === null || held === "grow-out");
  // faces are pulled out of borders only, which a closed piece has not
  const now = here ? heldElements() : null;
  const visible = now?.normal != null && (kind === "face" || !now.piece.facts.closed);
  useTabs(set.tabs, visible);
  usePlaced(() => {
    const at = heldElements();
    const place = elementPlace();
    if (!visible || !at?.normal || !place) return;
    const pixel = viewport.handlePixel(place, viewStore.getState());
    set.group.position.copy(place);
    const end = at.normal.clone().multiplyScalar(OUT * pixel);
    set.disc.position.copy(end);
    set.disc.quaternion.copy(viewport.camera.quaternion);
    set.disc.scale.setScalar((SIZE * pixel) / 2);
    set.line.geometry.setAttribute("position", new Float32BufferAttribute([0, 0, 0, ...end.toArray()], 3));
    set.group.updateMatrixWorld();
  });
  return visible ? <primitive object={set.group} /> : null;
}

function paddle(scheme: Scheme) {
  const group = new Group();
  const disc = new Mesh(new CircleGeometry(1, 28), plus(scheme.petrol));
  Object.assign(disc.userData, { handle: "grow-out", rank: -1 });
  disc.renderOrder = 24;
  const line = new LineSegments(
    new BufferGeometry(),
    new LineBasicMaterial({ color: scheme.petrol, depthTest: false, transparent: true, opacity: 0.7 }),
  );
  line.renderOrder = 19;
  line.frustumCulled = false;
  group.add(line, disc);
  return { group, disc, line, tabs: [disc] };
}

function plus(colour: string): MeshBasicMaterial {
  const canvas = document.createElement("canvas");
  canvas.width = 64;
  canvas.height = 64;
  const pen = canvas.getContext("2d");
  if (pen) {
    pen.fillStyle = colour;
    pen.fillRect(0, 0, 64, 64);
    pen.fillStyle = "#ffffff";
    pen.beginPath();
    pen.arc(32, 32, 25, 0, 2 * Math.PI);
    pen.fill();
    pen.fillStyle = colour;
    pen.fillRect(28, 16, 8, 32);
    pen.fillRect(16, 28, 32, 8);
  }
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  return new MeshBasicMaterial({ map, transparent: true, depthTest: false, depthWrite: false });
}
