import type { PathPoint, Vector } from "../../api/types";
import { useLevel } from "../../state/level";
import { type Run, run, runningStore, runsOf, setTyped } from "../../state/running";
import { previewStep, takeStep } from "../../state/steps";
import type { Scheme } from "../../theme/tokens";
import { numbersIn } from "../../ui/expression";
import { Dots } from "../paths/Dots";
import { groundAt, levelAt, typedPlace } from "../picking/ground";
import { away, SLOP } from "../picking/selecting";
import type { Mode, Press, Spot } from "./mode";
import { Measure } from "./parts";

/** A path that is drawn: its points so far, the one under the pointer, and the height that the first one gave. */
export interface PathRun extends Run {
  readonly kind: "path";
  points: PathPoint[];
  hover: Vector | null;
  height: number | null;
}

const paths = runsOf<PathRun>("path");

/** Begin to draw a path. */
export const startPath = (): void => paths.begin({ points: [], hover: null, height: null });

function show(points: PathPoint[], hovered: Vector | null): void {
  const all = hovered ? [...points, { position: hovered }] : points;
  const params = { points: all, smooth: true };
  previewStep(all.length > 1 ? { tool: "draw_path", params, selection: [], adjust: false } : null);
}

async function finish(): Promise<void> {
  const now = paths.now();
  if (!now) return;
  run(null);
  if (now.points.length > 1) await takeStep("draw_path", { points: now.points, smooth: true }, []);
  previewStep(null);
}

function placeAt({ x, y, ctrl }: Spot): Vector | null {
  const now = paths.now();
  return now && (now.height === null ? groundAt(x, y, ctrl) : levelAt(x, y, now.height, ctrl));
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
  const point: PathPoint = { position: at };
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
      Click where the path starts <span>or type X, Z</span> <Measure>{""}</Measure>
    </>
  ) : (
    <>
      Click for the next point, drag to curve it <span>· Enter ends the path</span>{" "}
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
    add({ position: at });
  },
  back() {
    const now = paths.now();
    const points = now?.points.slice(0, -1) ?? [];
    if (!now || now.points.length === 0) {
      previewStep(null);
      run(null);
      return;
    }
    paths.change({ points, height: points.length ? now.height : null });
    show(points, now.hover);
  },
  Prompt,
  Signs,
};
