import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import {
  BufferGeometry,
  CanvasTexture,
  Float32BufferAttribute,
  LineBasicMaterial,
  LineSegments,
  Quaternion,
  Sprite,
  SpriteMaterial,
  SRGBColorSpace,
  Vector3,
} from "three";
import type { Feature, Vector } from "../../api/types";
import { useDrag } from "../../state/drag";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { useOwned } from "../canvas/useOwned";
import { groundFrame } from "../frame";

/** The sign of what a drag has caught. */
export function CaughtSign({ scheme }: { scheme: Scheme }) {
  const caught = useDrag((s) => s.caught);
  useRedraw(caught);
  return caught && <Sign points={SIGNS[caught.kind]} at={new Vector3(...caught.point)} colour={scheme.ochre} />;
}

/** The signs of features: those that have been picked, and the one that is pointed at. */
export function FeatureSigns({ of, colour }: { of: readonly (Feature | null)[]; colour: string }) {
  const features = of.filter((f) => f !== null);
  useRedraw(features.map((f) => [f.kind, ...f.point].join()).join());
  return features.map((f, k) => (
    <FeatureSign
      // biome-ignore lint/suspicious/noArrayIndexKey: picks have no other name
      key={k}
      at={new Vector3(...f.point)}
      normal={new Vector3(...f.normal)}
      kind={f.kind}
      colour={colour}
    />
  ));
}

/** The sign of a point of the grid or of a path. */
export function PointSign({ at, colour }: { at: Vector; colour: string }) {
  useRedraw(at.join());
  return <Sign points={CROSS} at={new Vector3(...at)} colour={colour} />;
}

/** A cross that lies on the ground. */
export function Cross({ at, colour }: { at: Vector; colour: string }) {
  useRedraw(at.join());
  return <Lines points={CROSS} at={new Vector3(...at)} colour={colour} pixels={10} />;
}

/** Have the view drawn again as what is shown changes. */
function useRedraw(shown: unknown): void {
  const invalidate = useThree((s) => s.invalidate);
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is shown says when
  useEffect(() => invalidate(), [shown, invalidate]);
}

/** A group of lines that keeps its size on the screen. */
function Lines({ points, at, turn, colour, pixels }: LinesProps) {
  const group = useOwned(() => {
    const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute([...points], 3));
    const lines = new LineSegments(geometry, new LineBasicMaterial({ color: colour, depthTest: false }));
    lines.renderOrder = 30;
    lines.frustumCulled = false;
    return lines;
  }, [points, colour]);
  useFrame(() => {
    group.position.copy(at);
    if (turn) group.quaternion.copy(turn);
    group.scale.setScalar(pixels * viewport.metresPerPixel(at, viewStore.getState()));
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
const SIGNS = {
  vertex: EX,
  edge: BARS,
  face: STAR,
  pivot: [...CROSS, ...RING],
  "path point": RING,
  "on edge": BAR,
  "on face": CROSS,
} as const;
const NORMAL = [0, 0, 0, 0, 3.2, 0];

interface FeatureProps {
  at: Vector3;
  normal: Vector3;
  kind: Feature["kind"];
  colour: string;
}

/** Vertex ×, edge middle ‖, place on an edge ╪, face centre ✣, place on a face +, pivot ⊕, each with its normal. */
function FeatureSign({ at, normal, kind, colour }: FeatureProps) {
  const turn = useMemo(() => new Quaternion().setFromUnitVectors(groundFrame().up, normal), [normal]);
  return (
    <>
      <Lines points={NORMAL} at={at} turn={turn} colour={colour} pixels={8} />
      <Sign points={SIGNS[kind]} at={at} colour={colour} />
    </>
  );
}

/** Pixels of a sign's picture, and of what it spans on the screen. */
const PICTURE = 64;
const SIGN = 22;

/** A sign that is seen on every ground: lines of a colour within a light rim, as large everywhere. */
function Sign({ points, at, colour }: { points: readonly number[]; at: Vector3; colour: string }) {
  const sprite = useOwned(() => {
    const map = new CanvasTexture(signOf(points, colour));
    map.colorSpace = SRGBColorSpace;
    const made = new Sprite(new SpriteMaterial({ map, depthTest: false, transparent: true }));
    made.renderOrder = 31;
    return made;
  }, [points, colour]);
  useFrame(() => {
    sprite.position.copy(at);
    sprite.scale.setScalar(SIGN * viewport.metresPerPixel(at, viewStore.getState()));
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
