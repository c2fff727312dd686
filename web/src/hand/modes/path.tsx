import type { Path, Vector } from "../../api/types";
import { Dots } from "../../scene/paths/Dots";
import { useLevel } from "../../state/level";
import { type Run, run, runningStore, runsOf, setTyped } from "../../state/running";
import { previewStep, takeStep } from "../../state/steps";
import type { Scheme } from "../../theme/tokens";
import { numbersIn } from "../../ui/expression";
import { viewport } from "../../viewport/controller";
import { type PathPoint, plainPoint } from "../paths/points";
import { groundAt, levelAt, surfaceAt, typedPlace } from "../picking/ground";
import { away, SLOP } from "../picking/selecting";
import type { Mode, Press, Spot } from "./mode";
import { Measure } from "./parts";

/** A path that is drawn: its points so far, the one under the pointer, and the height that the first one gave. */
export interface PathRun extends Run {
  readonly kind: "path";
  points: PathPoint[];
  hover: Vector | null;
  height: number | null;
  /** Whether points lie on what stands under the pointer, wherever that is. */
  onSurfaces: boolean;
  /** The path that is drawn on from its end; null for a new one. */
  of: Path | null;
  /** What is laid along the path as it is drawn: a piece, or what shows it. */
  along: string | null;
}

const paths = runsOf<PathRun>("path");
/** Pixels within which the first point is meant. */
const CLOSING = 10;

/** Begin to draw a path. */
export const startPath = (): void =>
  paths.begin({ points: [], hover: null, height: null, onSurfaces: false, of: null, along: null });

/** Begin to draw a path along which a piece is laid at once. */
export const startCourse = (along: string): void =>
  paths.begin({ points: [], hover: null, height: null, onSurfaces: false, of: null, along });

/** Draw a path on from its end. */
export const extendPath = (of: Path): void =>
  paths.begin({
    points: [...of.points],
    hover: null,
    height: of.points.at(-1)?.position[1] ?? 0,
    onSurfaces: false,
    of,
    along: null,
  });

/** The step that makes the path of some points, or leads one on to them. */
function stepOf({ of, along }: PathRun, points: PathPoint[], closed: boolean) {
  if (along) {
    // along a curve pieces bend, as courses do
    const bend = points.length > 2 || points.some((p) => p.handle_out);
    return { tool: "draw_course", params: { points, smooth: true, closed, bend }, selection: [along] };
  }
  return of
    ? { tool: "edit_path", params: { points, smooth: of.smooth, closed }, selection: [of.id] }
    : { tool: "draw_path", params: { points, smooth: true, closed }, selection: [] };
}

function show(points: PathPoint[], hovered: Vector | null): void {
  const now = paths.now();
  const all = hovered ? [...points, plainPoint(hovered)] : points;
  previewStep(now && all.length > 1 ? { ...stepOf(now, all, false), adjust: false } : null);
}

async function finish(closed = false): Promise<void> {
  const now = paths.now();
  if (!now) return;
  run(null);
  const { tool, params, selection } = stepOf(now, now.points, closed);
  if (now.points.length > 1) await takeStep(tool, params, selection);
  previewStep(null);
}

/** Whether a place of the viewport is on the first point, where that closes the path. */
function onFirst({ x, y }: Spot): boolean {
  const points = paths.now()?.points ?? [];
  const first = points.length > 2 ? viewport.seen(points[0]?.position as Vector) : null;
  return first !== null && Math.hypot(first.x - x, first.y - y) < CLOSING;
}

function placeAt({ x, y, ctrl }: Spot): Vector | null {
  const now = paths.now();
  if (!now) return null;
  if (now.onSurfaces) return surfaceAt(x, y, ctrl);
  return now.height === null ? groundAt(x, y, ctrl) : levelAt(x, y, now.height, ctrl);
}

function add(point: PathPoint): void {
  const now = paths.now();
  if (!now) return;
  const points = [...now.points, point];
  paths.change({ points, height: point.position[1] });
  show(points, null);
}

/** A point by a click; a smooth one by a drag, which pulls its handles out. */
function press(from: Spot): Press | null {
  const at = placeAt(from);
  if (!at) return null;
  const point = { ...plainPoint(at), sharp: from.alt };
  return {
    move(spot) {
      const now = paths.now();
      const to = levelAt(spot.x, spot.y, at[1], spot.ctrl);
      if (!now || !to || away(spot, from) < 3 * SLOP) return;
      const out: Vector = [to[0] - at[0], 0, to[2] - at[2]];
      point.handle_out = out;
      point.handle_in = [-out[0], 0, -out[2]];
      show([...now.points, point], null);
    },
    release() {
      if (onFirst(from)) return finish(true);
      const before = paths.now()?.points.at(-1)?.position;
      // a second click on one place ends the path
      if (before && before[0] === at[0] && before[2] === at[2]) return finish();
      add(point);
    },
  };
}

function Prompt() {
  const now = paths.use();
  const note = useLevel((s) => s.previewNote);
  if (!now) return null;
  return now.points.length === 0 ? (
    <>
      Click where the {now.along ? "course" : "path"} starts{" "}
      <span>or type X, Z{now.onSurfaces ? " · over what stands there" : ""}</span> <Measure>{""}</Measure>
    </>
  ) : (
    <>
      Click for the next point, drag to curve it{" "}
      <span>
        · Alt for a corner · Enter ends, the first point closes · U:{" "}
        {now.onSurfaces ? "level" : "over what stands there"}
      </span>{" "}
      <Measure>{note.split(",")[0] ?? ""}</Measure>
    </>
  );
}

function Signs({ scheme }: { scheme: Scheme }) {
  const points = paths.use()?.points ?? [];
  return points.length > 0 && <Dots points={points.map((p) => p.position)} colour={scheme.brick} size={9} />;
}

/** Drawing a path, point by point. */
export const pathMode: Mode = {
  kind: paths.kind,
  cross: true,
  move(spot) {
    const now = paths.now();
    const hover = placeAt(spot);
    paths.change({ hover });
    if (now && now.points.length > 0) show(now.points, hover);
  },
  press,
  enter() {
    const numbers = numbersIn(runningStore.getState().typed);
    const at = numbers && typedPlace(numbers, paths.now()?.height ?? 0);
    if (!at) return void finish();
    setTyped("");
    add(plainPoint(at));
  },
  back() {
    const now = paths.now();
    const points = now?.points.slice(0, -1) ?? [];
    if (!now || now.points.length === (now.of?.points.length ?? 0)) {
      previewStep(null);
      run(null);
      return;
    }
    paths.change({ points, height: points.length ? now.height : null });
    show(points, now.hover);
  },
  key(letter) {
    const now = paths.now();
    if (letter !== "u" || !now) return false;
    paths.change({ onSurfaces: !now.onSurfaces, height: now.points.at(-1)?.position[1] ?? null });
    return true;
  },
  Prompt,
  Signs,
};
