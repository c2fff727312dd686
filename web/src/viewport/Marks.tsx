import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  BufferGeometry,
  CanvasTexture,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Quaternion,
  Sprite,
  SpriteMaterial,
  SRGBColorSpace,
  Vector3,
} from "three";
import type { Feature } from "../api/types";
import { isShown, type Scene, shown, useLevel } from "../state/level";
import { type Running, useRunning } from "../state/running";
import { selectionStore, useSelection } from "../state/selection";
import { viewStore } from "../state/view";
import type { Scheme } from "../theme/tokens";
import { useDrag } from "./drag";
import { groundFrame } from "./frame";
import { AXES, axisVector } from "./Handles";
import { port } from "./port";

const MOST = 60;

/** Marks of what is pointed at while drawing and picking, and of pivots while they are set. */
export function Marks({ scheme }: { scheme: Scheme }) {
  const now = useRunning((s) => s.now);
  const card = useRunning((s) => s.card);
  const caught = useDrag((s) => s.caught);
  const invalidate = useThree((s) => s.invalidate);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again as the marks move
  useEffect(() => invalidate(), [now, card, caught, invalidate]);
  return (
    <>
      {now?.kind === "draw" && now.hover && now.stage === 0 && now.from === null && (
        <Cross at={new Vector3(...now.hover)} colour={scheme.ochre} />
      )}
      {pointedAt(now).map((f, k) => (
        <FeatureMark
          // biome-ignore lint/suspicious/noArrayIndexKey: picks have no other name
          key={k}
          at={new Vector3(...f.point)}
          normal={new Vector3(...f.normal)}
          kind={f.kind}
          colour={scheme.ochre}
        />
      ))}
      {now?.kind === "dock" && now.point && (
        <Sign points={CROSS} at={new Vector3(...now.point)} colour={scheme.ochre} />
      )}
      {caught && <Sign points={CAUGHT[caught.kind]} at={new Vector3(...caught.point)} colour={scheme.ochre} />}
      {card === "set_pivot" && <Pivots scheme={scheme} />}
    </>
  );
}

/** The features that have been picked and the one that is pointed at. */
function pointedAt(now: Running | null): readonly Feature[] {
  if (now?.kind !== "pick" && now?.kind !== "dock" && now?.kind !== "measure") return [];
  const picked = now.kind === "dock" ? [now.grip] : now.kind === "measure" ? now.picked : [];
  return [...picked, now.feature].filter((f) => f !== null);
}

/** A group of lines that keeps its size on the screen. */
function Lines({ points, at, turn, colour, pixels }: LinesProps) {
  const group = useMemo(() => {
    const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute([...points], 3));
    const lines = new LineSegments(geometry, new LineBasicMaterial({ color: colour, depthTest: false }));
    lines.renderOrder = 30;
    lines.frustumCulled = false;
    return lines;
  }, [points, colour]);
  useEffect(() => () => group.geometry.dispose(), [group]);
  useFrame(() => {
    group.position.copy(at);
    if (turn) group.quaternion.copy(turn);
    group.scale.setScalar(pixels * port.metresPerPixel(at, viewStore.getState()));
  });
  return <primitive object={group} />;
}

interface LinesProps {
  points: readonly number[];
  at: Vector3;
  turn?: Quaternion;
  colour: string;
  pixels: number;
}

const CROSS = [-1, 0, 0, 1, 0, 0, 0, 0, -1, 0, 0, 1];
const EX = [-1, 0, -1, 1, 0, 1, -1, 0, 1, 1, 0, -1];
const BARS = [-0.4, 0, -1, -0.4, 0, 1, 0.4, 0, -1, 0.4, 0, 1];
const STAR = [-1, 0, 0, 1, 0, 0, 0, 0, -1, 0, 0, 1, -0.6, 0, -0.6, 0.6, 0, 0.6, -0.6, 0, 0.6, 0.6, 0, -0.6];
const RING = Array.from({ length: 16 }, (_, k) => [k, k + 1]).flatMap((pair) =>
  pair.flatMap((k) => [Math.cos((k * Math.PI) / 8) * 0.7, 0, Math.sin((k * Math.PI) / 8) * 0.7]),
);
const BAR = [-1, 0, 0, 1, 0, 0, -0.35, 0, -0.6, -0.35, 0, 0.6, 0.35, 0, -0.6, 0.35, 0, 0.6];
const CAUGHT = {
  vertex: EX,
  edge: BARS,
  face: STAR,
  pivot: [...CROSS, ...RING],
  "path point": RING,
  "on edge": BAR,
} as const;
const NORMAL = [0, 0, 0, 0, 3.2, 0];

function Cross({ at, colour }: { at: Vector3; colour: string }) {
  return <Lines points={CROSS} at={at} colour={colour} pixels={10} />;
}

interface FeatureProps {
  at: Vector3;
  normal: Vector3;
  kind: Feature["kind"];
  colour: string;
}

/** Vertex ×, edge middle ‖, place on an edge ╪, face centre ✣, pivot ⊕, each with its normal. */
function FeatureMark({ at, normal, kind, colour }: FeatureProps) {
  const turn = useMemo(() => new Quaternion().setFromUnitVectors(groundFrame().up, normal), [normal]);
  return (
    <>
      <Lines points={NORMAL} at={at} turn={turn} colour={colour} pixels={8} />
      <Sign points={CAUGHT[kind]} at={at} colour={colour} />
    </>
  );
}

/** Pixels of a sign's picture, and of what it spans on the screen. */
const PICTURE = 64;
const SIGN = 22;

/** A sign that is seen on every ground: lines of a colour within a light rim, as large everywhere. */
function Sign({ points, at, colour }: { points: readonly number[]; at: Vector3; colour: string }) {
  const sprite = useMemo(() => {
    const map = new CanvasTexture(signOf(points, colour));
    map.colorSpace = SRGBColorSpace;
    const made = new Sprite(new SpriteMaterial({ map, depthTest: false, transparent: true }));
    made.renderOrder = 31;
    return made;
  }, [points, colour]);
  useEffect(
    () => () => {
      sprite.material.map?.dispose();
      sprite.material.dispose();
    },
    [sprite],
  );
  useFrame(() => {
    sprite.position.copy(at);
    sprite.scale.setScalar(SIGN * port.metresPerPixel(at, viewStore.getState()));
  });
  return <primitive object={sprite} />;
}

function signOf(points: readonly number[], colour: string): HTMLCanvasElement {
  const canvas = document.createElement("canvas");
  canvas.width = PICTURE;
  canvas.height = PICTURE;
  const pen = canvas.getContext("2d");
  if (!pen) return canvas;
  pen.lineCap = "round";
  const on = (v: number) => PICTURE / 2 + v * PICTURE * 0.34;
  for (const [style, width] of [
    ["#fbfaf6", 14],
    [colour, 7],
  ] as const) {
    pen.strokeStyle = style;
    pen.lineWidth = width;
    pen.beginPath();
    for (let k = 0; k + 5 < points.length; k += 6) {
      pen.moveTo(on(points[k] as number), on(points[k + 2] as number));
      pen.lineTo(on(points[k + 3] as number), on(points[k + 5] as number));
    }
    pen.stroke();
  }
  return canvas;
}

/** Where the pivots of what is selected are, and how their axes lie, with the preview taken into account. */
function placesOf(scene: Scene, ids: readonly string[]): Matrix4[] {
  const out: Matrix4[] = [];
  // a pivot belongs to the piece: all its uses are shown
  const chosen = new Set(ids);
  for (const id of ids) {
    const thing = scene.things.get(id);
    if (isShown(thing)) chosen.add(thing.piece);
  }
  for (const thing of scene.things.values()) {
    if (!isShown(thing) || out.length >= MOST) continue;
    if (!chosen.has(thing.id) && !chosen.has(thing.piece)) continue;
    const poses = thing.kind === "placement" ? [[...thing.position, ...thing.turn]] : (scene.items.get(thing.id) ?? []);
    for (const [x = 0, y = 0, z = 0, i = 0, j = 0, k = 0, w = 1] of poses.slice(0, MOST)) {
      out.push(new Matrix4().makeRotationFromQuaternion(new Quaternion(i, j, k, w)).setPosition(x, y, z));
    }
  }
  return out;
}

function Pivots({ scheme }: { scheme: Scheme }) {
  const ids = useSelection((s) => s.ids);
  const level = useLevel(shown);
  const invalidate = useThree((s) => s.invalidate);
  const group = useMemo(() => {
    const all = new Group();
    const places = placesOf(level, ids);
    places.forEach((place, k) => {
      const one = new Group();
      one.applyMatrix4(place);
      for (const axis of AXES) {
        const end = axisVector(axis);
        const geometry = new BufferGeometry().setAttribute(
          "position",
          new Float32BufferAttribute([0, 0, 0, ...end.toArray()], 3),
        );
        const line = new LineSegments(
          geometry,
          new LineBasicMaterial({ color: scheme.axes[axis], depthTest: false, linewidth: 2 }),
        );
        line.renderOrder = 31;
        line.frustumCulled = false;
        one.add(line);
        if (k < 12) {
          const letter = sprite(axis.toUpperCase(), scheme.axes[axis]);
          letter.position.copy(end).multiplyScalar(1.16);
          one.add(letter);
        }
      }
      all.add(one);
    });
    return all;
  }, [ids, level, scheme]);
  useEffect(() => {
    invalidate();
    return () => {
      group.traverse((o) => (o as Partial<LineSegments>).geometry?.dispose());
    };
  }, [group, invalidate]);
  useFrame(() => {
    for (const one of group.children) {
      one.scale.setScalar(54 * port.metresPerPixel(one.position, viewStore.getState()));
    }
  });
  return selectionStore.getState().ids.length ? <primitive object={group} /> : null;
}

const letters = new Map<string, SpriteMaterial>();

function sprite(letter: string, colour: string): Sprite {
  const key = letter + colour;
  let material = letters.get(key);
  if (!material) {
    const canvas = document.createElement("canvas");
    canvas.width = 48;
    canvas.height = 48;
    const pen = canvas.getContext("2d");
    if (pen) {
      pen.fillStyle = colour;
      pen.font = '700 38px "Archivo Variable", sans-serif';
      pen.textAlign = "center";
      pen.textBaseline = "middle";
      pen.strokeStyle = "rgb(255 255 255 / 0.85)";
      pen.lineWidth = 6;
      pen.strokeText(letter, 24, 26);
      pen.fillText(letter, 24, 26);
    }
    const map = new CanvasTexture(canvas);
    map.colorSpace = SRGBColorSpace;
    material = new SpriteMaterial({ map, depthTest: false, transparent: true });
    letters.set(key, material);
  }
  const made = new Sprite(material);
  made.scale.setScalar(0.3);
  made.renderOrder = 32;
  return made;
}
