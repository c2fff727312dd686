import { Vector3 } from "three";
import { cageOf } from "../../scene/elements/cage";
import { heldMatrix, itemUnder, matrixOf, openNow } from "../../scene/elements/open";
import { Way } from "../../scene/elements/Way";
import { elementsNow, openPiece } from "../../state/elements";
import { type Run, run, runningStore, runsOf } from "../../state/running";
import { selectionStore } from "../../state/selection";
import { takeStep } from "../../state/steps";
import type { Scheme } from "../../theme/tokens";
import { numbersIn } from "../../ui/expression";
import { viewport } from "../../viewport/controller";
import { edgeNear, placeOn, vertexNear } from "../elements/under";
import type { Mode, Spot } from "./mode";
import { Measure } from "./parts";

/** A place of a cut, as the tool wants it, and where it is in the world. */
export interface CutPlace {
  kind: "vertex" | "edge";
  id: number;
  share: number;
  point: Vector3;
}

/** A cut that is clicked: the places so far, and the one that is pointed at. */
export interface CutRun extends Run {
  readonly kind: "cut";
  places: readonly CutPlace[];
  over: CutPlace | null;
}

export const cutting = runsOf<CutRun>("cut");

/** Shares of an edge at which a cut likes to be, and how near it must be, in pixels. */
const LIKED = [0.25, 0.5, 0.75];
const NEAR = 8;

export const startCut = (): void => {
  if (openPiece()) cutting.begin({ places: [], over: null });
};

function placeUnder({ x, y, ctrl }: Pick<Spot, "x" | "y" | "ctrl">): CutPlace | null {
  const open = openNow();
  if (!open) return null;
  const hit = itemUnder(x, y);
  const item = (hit && matrixOf(hit)) ?? heldMatrix();
  if (!item) return null;
  const cage = cageOf(open.mesh);
  const vertex = vertexNear(cage, item, x, y, NEAR);
  if (vertex !== null) {
    const point = new Vector3().fromArray(cage.places, 3 * vertex).applyMatrix4(item);
    return { kind: "vertex", id: vertex, share: 0, point };
  }
  const on = edgeNear(cage, item, x, y);
  if (!on) return null;
  let { share } = on;
  const liked = ctrl
    ? undefined
    : LIKED.find((s) => near(placeOn(cage, item, on.edge, s), placeOn(cage, item, on.edge, share)));
  if (liked !== undefined) share = liked;
  return { kind: "edge", id: on.edge, share, point: placeOn(cage, item, on.edge, share) };
}

function near(a: Vector3, b: Vector3): boolean {
  const [p, q] = [viewport.seen(a), viewport.seen(b)];
  return p !== null && q !== null && Math.hypot(p.x - q.x, p.y - q.y) < NEAR;
}

/** What is pointed at, at a share of its edge that has been typed. */
function typedPlace(over: CutPlace, typed: string): CutPlace {
  const [value] = numbersIn(typed, () => false) ?? [];
  const open = openNow();
  const item = heldMatrix();
  if (over.kind !== "edge" || value === undefined || !open || !item) return over;
  const share = Math.min(1, Math.max(0, value / 100));
  return { ...over, share, point: placeOn(cageOf(open.mesh), item, over.id, share) };
}

function add(place: CutPlace): void {
  const now = cutting.now();
  if (now) cutting.begin({ places: [...now.places, place], over: null });
}

async function finish(): Promise<void> {
  const places = cutting.now()?.places ?? [];
  run(null);
  if (places.length < 2) return;
  const stops = places.map(({ kind, id, share }) => ({ kind, id, share }));
  await takeStep("cut_across", { elements: elementsNow(), stops }, selectionStore.getState().ids);
}

function Prompt() {
  const now = cutting.use();
  if (!now) return null;
  const { over, places } = now;
  if (!over) {
    return <span>{places.length ? "Point at an edge or a vertex · Enter cuts" : "Point at an edge or a vertex"}</span>;
  }
  return (
    <>
      {places.length ? "Cut to here" : "Cut from here"}{" "}
      {over.kind === "edge" ? <Measure>{Math.round(over.share * 100)} %</Measure> : <span>vertex</span>}
      {places.length > 1 && <span> · Enter cuts</span>}
    </>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  const now = cutting.use();
  if (!now) return null;
  const points = [...now.places, ...(now.over ? [now.over] : [])].map((p) => p.point);
  return <Way points={points} colour={scheme.ochre} />;
}

/** A cut from place to place: clicks on edges and vertices, then Enter. */
export const cutMode: Mode = {
  kind: cutting.kind,
  cross: true,
  move: (at) => cutting.change({ over: placeUnder(at) }),
  press: (at) => ({
    move: (to) => cutting.change({ over: placeUnder(to) }),
    release: (to) => {
      const place = placeUnder(to) ?? placeUnder(at);
      if (place) add(place);
    },
  }),
  enter() {
    const now = cutting.now();
    const typed = runningStore.getState().typed;
    // a share that is typed over an edge is taken first
    if (now?.over && typed) add(typedPlace(now.over, typed));
    else void finish();
  },
  back() {
    const now = cutting.now();
    if (now?.places.length) cutting.begin({ places: now.places.slice(0, -1), over: null });
    else run(null);
  },
  Prompt,
  Signs,
};
