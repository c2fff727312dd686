import { useFrame, useThree } from "@react-three/fiber";
import { useEffect } from "react";
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
} from "three";
import { isShown, type Scene, shown, useLevel } from "../../state/level";
import { selectionStore, useSelection } from "../../state/selection";
import { viewStore } from "../../state/view";
import type { Scheme } from "../../theme/tokens";
import { viewport } from "../../viewport/controller";
import { AXES, axisVector } from "../axes";
import { useOwned } from "../canvas/useOwned";
import { runsOf } from "../pieces/entries";

/** Pivots that are shown at most. */
const MOST = 60;

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
    const poses = runsOf(scene, thing).flatMap((run) => run.rows);
    for (const [x = 0, y = 0, z = 0, i = 0, j = 0, k = 0, w = 1] of poses.slice(0, MOST)) {
      out.push(new Matrix4().makeRotationFromQuaternion(new Quaternion(i, j, k, w)).setPosition(x, y, z));
    }
  }
  return out;
}

/** The pivots of what is selected, with their axes. */
export function Pivots({ scheme }: { scheme: Scheme }) {
  const ids = useSelection((s) => s.ids);
  const level = useLevel(shown);
  const invalidate = useThree((s) => s.invalidate);
  const group = useOwned(() => {
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
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again with other pivots
  useEffect(() => invalidate(), [group, invalidate]);
  useFrame(() => {
    for (const one of group.children) {
      one.scale.setScalar(54 * viewport.metresPerPixel(one.position, viewStore.getState()));
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
    material.userData.shared = true;
    letters.set(key, material);
  }
  const made = new Sprite(material);
  made.scale.setScalar(0.3);
  made.renderOrder = 32;
  return made;
}
