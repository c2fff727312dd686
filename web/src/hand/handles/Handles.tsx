import { useThree } from "@react-three/fiber";
import { useEffect, useLayoutEffect, useMemo } from "react";
import {
  BoxGeometry,
  BufferGeometry,
  CanvasTexture,
  CircleGeometry,
  CylinderGeometry,
  DoubleSide,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  PlaneGeometry,
  SRGBColorSpace,
  TorusGeometry,
  Vector3,
} from "three";
import { AXES, type Axis, axisVector } from "../../scene/axes";
import { useOwned } from "../../scene/canvas/useOwned";
import { useMeshes } from "../../scene/pieces/meshes";
import { dragStore, useDrag } from "../../state/drag";
import { useElementHold } from "../../state/elementHold";
import { useElements } from "../../state/elements";
import { useHandles } from "../../state/handles";
import { useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { useView, viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { handleAxes, handlePlace } from "./holding";
import { usePlaced } from "./usePlaced";
import { useHandlesWanted } from "./wanted";

/** The pixels that a shaft is long on the screen. */
const LENGTH = 92;
const REACH = 1.25;
/** Where on the screen the spreading paddle is, seen from the middle. */
const ASIDE = new Vector3(0.72, 0.72, 0);

/** Where the handles stand; null when nothing can be moved by them. */
export function useHandlePlace(): Vector3 | null {
  const ids = useSelection((s) => s.ids);
  const scene = useLevel((s) => s.scene);
  const hold = useHandles((h) => h);
  const stage = useView((v) => v.stage);
  const picked = useElements((s) => s);
  const elements = useElementHold((s) => s);
  const meshes = useMeshes();
  // biome-ignore lint/correctness/useExhaustiveDependencies: where they stand depends on all of these
  return useMemo(handlePlace, [scene, ids, hold, stage, picked, elements, meshes]);
}

/** One handle set for moving and turning: shafts with lettered paddles, plane tabs, dials with degree ticks. */
export function Handles({ scheme }: { scheme: Scheme }) {
  const place = useHandlePlace();
  const wanted = useHandlesWanted();
  const several = useSelection((s) => s.ids.length > 1);
  const invalidate = useThree((s) => s.invalidate);
  const held = useDrag((s) => s.handle);
  const sizing = useHandles((h) => h.sizing);
  const set = useOwned(() => handleSet(scheme), [scheme]);
  const hold = useHandles((h) => h);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again in other axes, at another pivot
  useEffect(() => invalidate(), [hold, invalidate]);
  const shaping = useView((v) => v.stage === "shape");
  const visible = place !== null && wanted && (!sizing || shaping);
  useLayoutEffect(() => {
    if (!visible) return;
    for (const part of set.parts) if (part !== set.spread || several) viewport.handles.add(part);
    return () => {
      for (const part of set.parts) viewport.handles.delete(part);
    };
  }, [visible, set, several]);
  useEffect(() => {
    for (const part of [...set.parts, ...set.shown]) {
      const material = part.material as MeshBasicMaterial;
      const name = part.userData.handle as string;
      part.visible = held === null || held === name || part.userData.pickOnly === true;
      if (!part.userData.pickOnly) material.opacity = held === name ? 1 : (part.userData.opacity as number);
    }
    invalidate();
  }, [held, set, invalidate]);
  usePlaced(() => {
    if (!place) return;
    const at = place.clone();
    const { now } = dragStore.getState();
    if (now) at.applyMatrix4(now.place);
    else set.group.quaternion.copy(handleAxes());
    set.group.position.copy(at);
    set.group.scale.setScalar(LENGTH * viewport.handlePixel(at, viewStore.getState()));
    const back = set.group.quaternion.clone().invert();
    set.spread.visible = several && (held === null || held === "spread-all");
    set.spread.position
      .copy(ASIDE)
      .multiplyScalar(REACH)
      .applyQuaternion(viewport.camera.quaternion)
      .applyQuaternion(back);
    for (const paddle of set.paddles) paddle.quaternion.copy(viewport.camera.quaternion).premultiply(back);
  });
  return visible ? <primitive object={set.group} /> : null;
}

type HandlePart = Mesh | LineSegments;

function handleSet(scheme: Scheme) {
  const group = new Group();
  const parts: HandlePart[] = [];
  const shown: HandlePart[] = [];
  const paddles: Mesh[] = [];
  const tagged = <T extends HandlePart>(part: T, handle: string, opacity: number, rank: number): T => {
    Object.assign(part.userData, { handle, opacity, rank });
    part.renderOrder = 20 + rank;
    return part;
  };
  const plain = (color: string, opacity = 1) =>
    new MeshBasicMaterial({ color, transparent: true, opacity, depthTest: false, depthWrite: false, side: DoubleSide });
  for (const axis of AXES) {
    const colour = scheme.axes[axis];
    const turn = new Group();
    if (axis === "x") turn.rotation.z = -Math.PI / 2;
    if (axis === "z") turn.rotation.x = Math.PI / 2;
    const shaft = tagged(
      new Mesh(new CylinderGeometry(0.012, 0.012, REACH - 0.16, 6), plain(colour)),
      `move-${axis}`,
      0.95,
      2,
    );
    shaft.position.y = (REACH + 0.16) / 2;
    const grab = tagged(
      new Mesh(new CylinderGeometry(0.07, 0.07, REACH - 0.1, 6), plain(colour, 0)),
      `move-${axis}`,
      0,
      2,
    );
    grab.position.y = (REACH + 0.2) / 2;
    grab.userData.pickOnly = true;
    turn.add(shaft, grab);
    const dial = tagged(new Mesh(new TorusGeometry(0.86, 0.008, 6, 96), plain(colour, 0.7)), `turn-${axis}`, 0.7, 3);
    const dialGrab = tagged(new Mesh(new TorusGeometry(0.86, 0.055, 6, 64), plain(colour, 0)), `turn-${axis}`, 0, 3);
    dialGrab.userData.pickOnly = true;
    const ticks = tagged(
      new LineSegments(
        tickMarks(),
        new LineBasicMaterial({ color: colour, transparent: true, opacity: 0.8, depthTest: false }),
      ),
      `turn-${axis}`,
      0.8,
      3,
    );
    for (const part of [dial, dialGrab, ticks]) {
      part.rotation.x = Math.PI / 2;
      turn.add(part);
    }
    group.add(turn);
    const paddle = tagged(
      new Mesh(new PlaneGeometry(0.26, 0.26), lettered(axis.toUpperCase(), colour)),
      `move-${axis}`,
      1,
      0,
    );
    paddle.position.copy(axisVector(axis)).multiplyScalar(REACH + 0.12);
    paddles.push(paddle);
    group.add(paddle);
    parts.push(grab, dialGrab, paddle);
    shown.push(shaft, dial, ticks);
    const [a, b] = AXES.filter((other) => other !== axis) as [Axis, Axis];
    const tab = tagged(new Mesh(new BoxGeometry(0.2, 0.2, 0.001), plain(colour, 0.45)), `plane-${a}${b}`, 0.45, 1);
    tab.position.copy(axisVector(a).add(axisVector(b)).multiplyScalar(0.42));
    if (axis === "x") tab.rotation.y = Math.PI / 2;
    if (axis === "y") tab.rotation.x = Math.PI / 2;
    group.add(tab);
    parts.push(tab);
  }
  const hub = tagged(new Mesh(new TorusGeometry(0.06, 0.014, 6, 24), plain(scheme.ochre)), "free-ground", 1, 0);
  const hubGrab = tagged(new Mesh(new CircleGeometry(0.11, 16), plain(scheme.ochre, 0)), "free-ground", 0, -1);
  hubGrab.userData.pickOnly = true;
  paddles.push(hub, hubGrab);
  const spread = tagged(
    new Mesh(new PlaneGeometry(0.26, 0.26), pictured(drawSpread, scheme.ochre)),
    "spread-all",
    1,
    0,
  );
  paddles.push(spread);
  group.add(hub, hubGrab, spread);
  shown.push(hub);
  parts.push(hubGrab, spread);
  return { group, parts, shown, paddles, spread };
}

function tickMarks(): BufferGeometry {
  const at: number[] = [];
  for (let degree = 0; degree < 360; degree += 15) {
    const angle = (degree * Math.PI) / 180;
    const inner = degree % 90 === 0 ? 0.79 : degree % 45 === 0 ? 0.81 : 0.83;
    for (const r of [inner, 0.86]) at.push(Math.cos(angle) * r, Math.sin(angle) * r, 0);
  }
  return new BufferGeometry().setAttribute("position", new Float32BufferAttribute(at, 3));
}

type Pen = CanvasRenderingContext2D;

const lettered = (letter: string, colour: string): MeshBasicMaterial =>
  pictured((pen) => {
    pen.font = '650 40px "Archivo Variable", sans-serif';
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    pen.fillText(letter, 32, 35);
  }, colour);

/** Two dots that leave each other. */
function drawSpread(pen: Pen): void {
  for (const side of [-1, 1]) {
    pen.beginPath();
    pen.moveTo(32 + 25 * side, 32);
    pen.lineTo(32 + 13 * side, 20);
    pen.lineTo(32 + 13 * side, 44);
    pen.fill();
    pen.fillRect(32 + 5 * side - 2, 24, 4, 16);
  }
}

/** A small plate of a colour with a picture on it. */
function pictured(draw: (pen: Pen) => void, colour: string): MeshBasicMaterial {
  const canvas = document.createElement("canvas");
  canvas.width = 64;
  canvas.height = 64;
  const pen = canvas.getContext("2d");
  if (pen) {
    pen.fillStyle = colour;
    pen.beginPath();
    pen.roundRect(4, 4, 56, 56, 12);
    pen.fill();
    pen.fillStyle = "#ffffff";
    draw(pen);
  }
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  return new MeshBasicMaterial({
    map,
    transparent: true,
    depthTest: false,
    depthWrite: false,
  });
}
