import { useFrame, useThree } from "@react-three/fiber";
import { useEffect } from "react";
import {
  BufferGeometry,
  CanvasTexture,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Sprite,
  SpriteMaterial,
  SRGBColorSpace,
  Vector3,
} from "three";
import type { Vector } from "../../api/types";
import { useDrag } from "../../state/drag";
import { shown, useLevel } from "../../state/level";
import { useSelection } from "../../state/selection";
import { useView, viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { length, useUnit } from "../../ui/lengths";
import { viewport } from "../../viewport/controller";
import { useOwned } from "../canvas/useOwned";
import { isDrawn } from "../pieces/entries";

/** Kept measures. */
export function Measures({ scheme }: { scheme: Scheme }) {
  const level = useLevel(shown);
  const isolated = useView((v) => v.isolated);
  const ids = useSelection((s) => s.ids);
  const dragged = useDrag((s) => s.now);
  const kept = [...level.things.values()].filter((t) => t.kind === "measure");
  return (
    <>
      {kept.map((m) => {
        if (!isDrawn(level, m, isolated)) return null;
        const by = dragged?.of.get(m.id);
        const [start, end] = [m.start, m.end].map((p) => (by ? new Vector3(...p).applyMatrix4(by).toArray() : p)) as [
          Vector,
          Vector,
        ];
        const colour = ids.includes(m.id) ? scheme.petrol : scheme.ink;
        return <Dimension key={m.id} start={start} end={end} colour={colour} />;
      })}
    </>
  );
}

interface DimensionProps {
  start: Vector;
  end: Vector;
  colour: string;
}

/** A line between two points with its length. */
export function Dimension({ start, end, colour }: DimensionProps) {
  const key = [...start, ...end].join();
  const lines = useOwned(() => {
    const geometry = new BufferGeometry().setAttribute("position", new Float32BufferAttribute([...start, ...end], 3));
    const made = new LineSegments(geometry, new LineBasicMaterial({ color: colour, depthTest: false }));
    made.renderOrder = 25;
    made.frustumCulled = false;
    return made;
  }, [key, colour]);
  const middle = start.map((v, k) => (v + (end[k] ?? 0)) / 2) as Vector;
  const away = Math.hypot(...start.map((v, k) => v - (end[k] ?? 0)));
  return (
    <>
      <primitive object={lines} />
      <Tag at={middle} text={length(away, 3, useUnit())} colour={colour} />
    </>
  );
}

/** Words at a place of the world, always as large on the screen. */
export function Tag({ at, text, colour, lift = 0 }: { at: Vector; text: string; colour: string; lift?: number }) {
  const invalidate = useThree((s) => s.invalidate);
  const group = useOwned(() => {
    const out = new Group();
    const { map, wide } = written(text, colour);
    const sprite = new Sprite(new SpriteMaterial({ map, depthTest: false, transparent: true }));
    sprite.scale.set(wide, 1, 1);
    sprite.renderOrder = 33;
    out.add(sprite);
    return out;
  }, [text, colour]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again with other words
  useEffect(() => invalidate(), [group, invalidate]);
  useFrame(() => {
    group.position.set(at[0], at[1] + lift, at[2]);
    group.scale.setScalar(20 * viewport.metresPerPixel(group.position as Vector3, viewStore.getState()));
  });
  return <primitive object={group} />;
}

function written(text: string, colour: string): { map: CanvasTexture; wide: number } {
  const canvas = document.createElement("canvas");
  const pen = canvas.getContext("2d");
  const font = '620 26px "Archivo Variable", sans-serif';
  let width = 120;
  if (pen) {
    pen.font = font;
    width = Math.ceil(pen.measureText(text).width) + 20;
    canvas.width = width;
    canvas.height = 40;
    pen.fillStyle = "#fbfaf6";
    pen.strokeStyle = colour;
    pen.lineWidth = 2;
    pen.beginPath();
    pen.roundRect(1, 1, width - 2, 38, 6);
    pen.fill();
    pen.stroke();
    pen.font = font;
    pen.fillStyle = "#22303a";
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    pen.fillText(text, width / 2, 21);
  }
  const map = new CanvasTexture(canvas);
  map.colorSpace = SRGBColorSpace;
  return { map, wide: width / 40 };
}
