import { useFrame, useThree } from "@react-three/fiber";
import { useEffect, useRef, useState, useSyncExternalStore } from "react";
import styled from "styled-components";
import { Matrix4 } from "three";
import { EndTabs } from "../hand/handles/EndTabs";
import { Handles } from "../hand/handles/Handles";
import { cancelPress, pointerDown, pointerMove, pointerUp } from "../hand/input";
import { openUnder } from "../hand/picking/boxSelect";
import { useDraggedOutline } from "../hand/picking/selecting";
import { Drawing } from "../scene/canvas/CanvasHost";
import { Grid } from "../scene/canvas/Grid";
import { paintGround, placeFog, placeSun } from "../scene/canvas/lighting";
import { CaughtSign } from "../scene/signs/Signs";
import { levelStore, useLevel } from "../state/level";
import { runningStore, useRunning } from "../state/running";
import { seen, useSeen, wasSeen } from "../state/seen";
import { hover } from "../state/selection";
import { previewStep } from "../state/steps";
import { viewStore } from "../state/view";
import { isNight, onNight, useSettings } from "../theme/settings";
import { daySheet, nightSheet, type Scheme } from "../theme/tokens";
import { useCardInView } from "./cards";
import { endTransition, shiftView, turnView, zoomView } from "./looking";
import "../hand/modes";
import { GrowPaddle } from "../hand/elements/GrowPaddle";
import { SizeTabs } from "../hand/handles/SizeTabs";
import { Rose } from "../hand/look/Rose";
import { modeOf } from "../hand/modes/modes";
import { Rulers } from "../scene/canvas/Rulers";
import { atRest, draw } from "../scene/canvas/refine";
import { castShadows } from "../scene/canvas/renderer";
import { Checked } from "../scene/elements/Checked";
import { Picked } from "../scene/elements/Picked";
import { Paths } from "../scene/paths/Paths";
import { meshesToCome, onMeshLoaded, useAllMeshes } from "../scene/pieces/meshes";
import { Pieces } from "../scene/pieces/Pieces";
import { Seams } from "../scene/pieces/Seams";
import { Findings } from "../scene/signs/Findings";
import { Measures } from "../scene/signs/Measures";
import { dragStore } from "../state/drag";
import { elementStore } from "../state/elements";
import { viewport } from "./controller";
import { Prompt } from "./Prompt";

const Frame = styled.div`
  position: relative; overflow: hidden; min-width: 0; min-height: 0; outline-offset: -3px; touch-action: none;
  user-select: none;
  &[data-cross="true"] { cursor: crosshair; }
`;

const Rubber = styled.svg`
  position: absolute; inset: 0; width: 100%; height: 100%; pointer-events: none;
  & polygon { stroke: var(--petrol); fill: color-mix(in srgb, var(--petrol) 12%, transparent); }
`;

/** The viewport: what stands in the level, and the hand in it. */
export function Viewport() {
  const frame = useRef<HTMLDivElement>(null);
  const night = useSyncExternalStore(onNight, isNight);
  const outline = useDraggedOutline();
  const mode = useRunning((s) => modeOf(s.now));
  const scheme = night ? nightSheet : daySheet;
  const opened = useLevel((s) => s.levelId !== null);
  const whole = useAllMeshes();
  const firstSeen = useSeen();
  // the first frame waits for all that it shows: half a level is not worth the time
  const [awake, setAwake] = useState(false);
  if (!awake && ((opened && whole) || firstSeen)) setAwake(true);
  useEffect(() => {
    const element = frame.current;
    if (!element) return;
    viewport.element = element;
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
    const leave = () => {
      hover(null);
      // what is lit up is of the mesh as it is, and a tool may make it another one meanwhile
      if (elementStore.getState().hovered !== null) elementStore.setState({ hovered: null });
      if (dragStore.getState().over !== null) dragStore.setState({ over: null });
    };
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
        zoomView(event.key === "PageUp" ? 0.8 : 1.25, viewport.width / 2, viewport.height / 2);
      }
    };
    const lost = () => cancelPress();
    const twice = (event: MouseEvent) => openUnder(...at(event));
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
    <Frame
      ref={frame}
      role="application"
      aria-label="Viewport"
      tabIndex={0}
      data-running={mode?.kind}
      data-cross={mode?.cross}
    >
      <Drawing awake={awake}>
        <Stage scheme={scheme} />
      </Drawing>
      {outline && (
        <Rubber aria-hidden>
          <polygon points={outline.map(({ x, y }) => `${x},${y}`).join(" ")} />
        </Rubber>
      )}
      <Rulers scheme={scheme} />
      <Rose />
      <Prompt />
    </Frame>
  );
}

/** Light, camera, and everything drawn. */
function Stage({ scheme }: { scheme: Scheme }) {
  const { gl, size, invalidate } = useThree();
  const mode = useRunning((s) => modeOf(s.now));
  const card = useCardInView();
  const scene = useLevel((s) => s.scene);
  useEffect(() => {
    paintGround(scheme);
    invalidate();
  }, [scheme, invalidate]);
  useEffect(() => {
    viewport.width = size.width;
    viewport.height = size.height;
    viewport.redraw = invalidate;
    viewport.renderer = gl;
    invalidate();
  }, [size, gl, invalidate]);
  useEffect(() => viewStore.subscribe(() => invalidate()), [invalidate]);
  const settings = useSettings((s) => s);
  // biome-ignore lint/correctness/useExhaustiveDependencies: handles and lengths are drawn as the settings say
  useEffect(() => invalidate(), [settings, invalidate]);
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
  const firstSeen = useSeen();
  useEffect(() => {
    if (!firstSeen) return;
    castShadows();
    invalidate();
  }, [firstSeen, invalidate]);
  const frames = useRef(0);
  useFrame(() => {
    const view = viewStore.getState();
    viewport.aim(view);
    placeFog(view);
    frames.current++;
    const element = viewport.element;
    if (element) {
      const m = new Matrix4().multiplyMatrices(viewport.camera.projectionMatrix, viewport.camera.matrixWorldInverse);
      element.dataset.projection = m.elements.map((v) => v.toPrecision(9)).join(" ");
      element.dataset.eye = viewport.camera.position
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
    if (!viewport.element) return;
    viewport.element.dataset.drawCalls = String(calls);
    viewport.element.dataset.atRest = String(atRest());
  }, 1);
  useEffect(() => () => previewStep(null), []);
  return (
    <>
      <Grid scheme={scheme} />
      <Pieces scheme={scheme} />
      <Paths scheme={scheme} />
      <Seams scheme={scheme} />
      <Checked scheme={scheme} />
      <Picked scheme={scheme} />
      <GrowPaddle scheme={scheme} />
      <Handles scheme={scheme} />
      <SizeTabs scheme={scheme} />
      <EndTabs scheme={scheme} />
      <CaughtSign scheme={scheme} />
      {mode?.Signs && <mode.Signs scheme={scheme} />}
      {card?.Signs && <card.Signs scheme={scheme} />}
      <Findings scheme={scheme} />
      <Measures scheme={scheme} />
    </>
  );
}
