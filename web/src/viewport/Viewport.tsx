import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { Matrix4, Vector3 } from "three";
import { previewStep } from "../api/steps";
import { levelStore, useLevel } from "../state/level";
import { runningStore, useRunning } from "../state/running";
import { seen, useSeen, wasSeen } from "../state/seen";
import { hover } from "../state/selection";
import { viewStore } from "../state/view";
import { daySheet, nightSheet, prefersNight, type Scheme } from "../theme/tokens";
import { Drawing } from "./Drawing";
import { boxAboutPivot } from "./entries";
import { Grid } from "./Grid";
import { Handles, useHandlePlace } from "./Handles";
import { cancelDrag, doubleClick, handlePlace, onBox, pointerDown, pointerMove, pointerUp } from "./input";
import { paintGround, placeFog, placeSun } from "./lighting";
import { endTransition, shiftView, turnView, zoomView } from "./looking";
import { Marks } from "./Marks";
import { Measures } from "./Measures";
import { meshesToCome, onMeshLoaded, useAllMeshes } from "./meshes";
import { Paths } from "./Paths";
import { Pieces } from "./Pieces";
import { Prompt } from "./Prompt";
import { port } from "./port";
import { Rose } from "./Rose";
import { Rulers } from "./Rulers";
import { atRest, draw } from "./refine";
import { castShadows } from "./renderer";
import { SizeTabs } from "./SizeTabs";

const Frame = styled.div`
  position: relative; overflow: hidden; min-width: 0; min-height: 0; outline-offset: -3px; touch-action: none;
  user-select: none;
  &[data-running="place"], &[data-running="path"], &[data-running="draw"], &[data-running="pick"], &[data-running="dock"], &[data-running="measure"] { cursor: crosshair; }
`;

const Rubber = styled.div`
  position: absolute; border: 1px solid var(--petrol); background: color-mix(in srgb, var(--petrol) 12%, transparent);
  pointer-events: none;
`;

/** The viewport: what stands in the level, and the hand in it. */
export function Viewport() {
  const frame = useRef<HTMLDivElement>(null);
  const [night, setNight] = useState(prefersNight);
  const [box, setBox] = useState<{ x: number; y: number; w: number; h: number } | null>(null);
  const running = useRunning((s) => s.now?.kind);
  const scheme = night ? nightSheet : daySheet;
  const place = useHandlePlace();
  handlePlace.now = place;
  const opened = useLevel((s) => s.levelId !== null);
  const whole = useAllMeshes();
  const late = useSeen();
  // the first frame waits for all that it shows: half a level is not worth the time
  const [awake, setAwake] = useState(false);
  if (!awake && ((opened && whole) || late)) setAwake(true);
  useEffect(() => {
    const query = window.matchMedia("(prefers-color-scheme: dark)");
    const change = () => setNight(query.matches);
    query.addEventListener("change", change);
    return () => query.removeEventListener("change", change);
  }, []);
  useEffect(() => onBox(setBox), []);
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    port.element = element;
    const at = (event: { clientX: number; clientY: number }): [number, number] => {
      const r = element.getBoundingClientRect();
      return [event.clientX - r.left, event.clientY - r.top];
    };
    const down = (event: PointerEvent) => {
      // the letters of the compass are pressed for themselves
      if ((event.target as Element).closest("button")) return;
      element.focus({ preventScroll: true });
      endTransition();
      if (pointerDown(...at(event), event)) element.setPointerCapture(event.pointerId);
    };
    let waiting: PointerEvent | null = null;
    const move = (event: PointerEvent) => {
      if (!waiting)
        requestAnimationFrame(() => {
          const latest = waiting;
          waiting = null;
          if (latest) pointerMove(...at(latest), latest);
        });
      waiting = event;
    };
    const up = (event: PointerEvent) => {
      if (waiting) pointerMove(...at(waiting), waiting);
      waiting = null;
      pointerUp(...at(event), event);
    };
    const leave = () => hover(null);
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      zoomView(Math.exp(Math.max(-60, Math.min(60, event.deltaY)) * (event.ctrlKey ? 0.01 : 0.004)), ...at(event));
    };
    const none = (event: Event) => event.preventDefault();
    const key = (event: KeyboardEvent) => {
      const turn: Record<string, [number, number]> = {
        ArrowLeft: [-24, 0],
        ArrowRight: [24, 0],
        ArrowUp: [0, -24],
        ArrowDown: [0, 24],
      };
      const by = turn[event.key];
      if (by && runningStore.getState().now === null && !event.ctrlKey && !event.altKey) {
        event.preventDefault();
        if (event.shiftKey) shiftView(-by[0], -by[1]);
        else turnView(by[0], by[1], null);
      }
      if (event.key === "PageUp" || event.key === "PageDown") {
        event.preventDefault();
        zoomView(event.key === "PageUp" ? 0.8 : 1.25, port.width / 2, port.height / 2);
      }
    };
    const lost = () => cancelDrag();
    const twice = (event: MouseEvent) => doubleClick(...at(event));
    element.addEventListener("pointerdown", down);
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", up);
    element.addEventListener("pointercancel", lost);
    element.addEventListener("pointerleave", leave);
    element.addEventListener("wheel", wheel, { passive: false });
    element.addEventListener("contextmenu", none);
    element.addEventListener("dblclick", twice);
    element.addEventListener("keydown", key);
    return () => {
      element.removeEventListener("pointerdown", down);
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", up);
      element.removeEventListener("pointercancel", lost);
      element.removeEventListener("pointerleave", leave);
      element.removeEventListener("wheel", wheel);
      element.removeEventListener("contextmenu", none);
      element.removeEventListener("dblclick", twice);
      element.removeEventListener("keydown", key);
    };
  }, []);
  return (
    <Frame ref={frame} role="application" aria-label="Viewport" tabIndex={0} data-running={running}>
      <Drawing awake={awake}>
        <Stage scheme={scheme} />
      </Drawing>
      {box && <Rubber style={{ left: box.x, top: box.y, width: box.w, height: box.h }} />}
      <Rulers scheme={scheme} />
      <Rose />
      <Prompt />
    </Frame>
  );
}

/** Light, camera, and everything drawn. */
function Stage({ scheme }: { scheme: Scheme }) {
  const { gl, size, invalidate } = useThree();
  const scene = useLevel((s) => s.scene);
  useEffect(() => {
    paintGround(scheme);
    invalidate();
  }, [scheme, invalidate]);
  useEffect(() => {
    port.width = size.width;
    port.height = size.height;
    port.redraw = invalidate;
    port.renderer = gl;
    invalidate();
  }, [size, gl, invalidate]);
  useEffect(() => viewStore.subscribe(() => invalidate()), [invalidate]);
  const loop = useThree((s) => s.frameloop);
  useEffect(() => {
    if (loop === "demand") invalidate();
  }, [loop, invalidate]);
  useEffect(() => {
    const refresh = () => {
      castShadows();
      invalidate();
    };
    return onMeshLoaded(refresh);
  }, [invalidate]);
  useEffect(() => {
    placeSun(scene);
    invalidate();
  }, [scene, invalidate]);
  const late = useSeen();
  useEffect(() => {
    if (!late) return;
    castShadows();
    invalidate();
  }, [late, invalidate]);
  const frames = useRef(0);
  useFrame(() => {
    const view = viewStore.getState();
    port.aim(view);
    placeFog(view);
    frames.current++;
    const element = port.element;
    if (element) {
      const m = new Matrix4().multiplyMatrices(port.camera.projectionMatrix, port.camera.matrixWorldInverse);
      element.dataset.projection = m.elements.map((v) => v.toPrecision(9)).join(" ");
      element.dataset.eye = port.camera.position
        .toArray()
        .map((v) => v.toFixed(4))
        .join(" ");
      element.dataset.frames = String(frames.current);
      element.dataset.toCome = String(meshesToCome());
    }
    // the first picture is drawn without shadows, and told when it has been handed over
    if (wasSeen()) return;
    if (levelStore.getState().levelId !== null && meshesToCome() === 0) window.setTimeout(seen, 0);
  }, -1);
  useFrame(() => {
    const calls = draw();
    if (!port.element) return;
    port.element.dataset.drawCalls = String(calls);
    port.element.dataset.atRest = String(atRest());
  }, 1);
  useEffect(() => () => previewStep(null), []);
  return (
    <>
      <Grid scheme={scheme} />
      <Pieces scheme={scheme} />
      <Ghost scheme={scheme} />
      <Paths scheme={scheme} />
      <Handles scheme={scheme} />
      <SizeTabs scheme={scheme} />
      <Marks scheme={scheme} />
      <Measures scheme={scheme} />
    </>
  );
}

/** The outline of the piece that is being placed. */
function Ghost({ scheme }: { scheme: Scheme }) {
  const running = useRunning((s) => s.now);
  const pieces = useLevel((s) => s.scene.pieces);
  const invalidate = useThree((s) => s.invalidate);
  const at = running?.kind === "place" ? running.at : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: drawn again as the ghost moves
  useEffect(() => invalidate(), [at, invalidate]);
  const piece = running?.kind === "place" ? pieces.get(running.piece) : undefined;
  if (!piece || !at) return null;
  const { low, high } = boxAboutPivot(piece);
  const size = high
    .clone()
    .sub(low)
    .max(new Vector3(0.002, 0.002, 0.002));
  const centre = low
    .add(high)
    .multiplyScalar(0.5)
    .add(new Vector3(...at));
  return (
    <mesh position={centre} scale={size} renderOrder={5}>
      <boxGeometry />
      <meshBasicMaterial color={scheme.ochre} transparent opacity={0.35} depthWrite={false} />
    </mesh>
  );
}
