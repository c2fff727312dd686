import { Vector3 } from "three";
import type { Feature } from "../../api/types";
import { Way } from "../../scene/elements/Way";
import { FeatureSigns } from "../../scene/signs/Signs";
import { elementsNow, pickedNow } from "../../state/elements";
import { isShown, levelStore, shown } from "../../state/level";
import { type Run, run, runsOf } from "../../state/running";
import { selectionStore } from "../../state/selection";
import { takeStep } from "../../state/steps";
import type { Scheme } from "../../theme/tokens";
import { heldElements } from "../elements/hold";
import { vertexNear } from "../elements/under";
import { called, featureAt, Latest } from "../picking/featurePick";
import type { Mode } from "./mode";

/** Docking what is picked of a piece: the vertex that lands, and where. */
export interface DockElementsRun extends Run {
  readonly kind: "dock elements";
  grip: number | null;
  /** The vertex that is pointed at, as long as none is taken. */
  over: number | null;
  landing: Feature | null;
}

const docking = runsOf<DockElementsRun>("dock elements");

/** Begin: a single vertex is the grip itself. */
export function startDockElements(): void {
  const { kind, ids } = pickedNow();
  if (ids.size === 0) return;
  const [only] = ids;
  docking.begin({ grip: kind === "vertex" && ids.size === 1 ? (only ?? null) : null, over: null, landing: null });
}

/** The picked vertex near a place of the viewport. */
function gripUnder(x: number, y: number): number | null {
  const held = heldElements();
  if (!held) return null;
  const found = vertexNear(held.cage, held.item, x, y, 16);
  return found !== null && held.vertices.includes(found) ? found : null;
}

const latest = new Latest(async (x, y, free) => {
  const now = docking.now();
  if (!now) return;
  if (now.grip === null) return docking.change({ over: gripUnder(x, y) });
  const own = new Set(selectionStore.getState().ids);
  const { things } = shown(levelStore.getState());
  docking.change({
    landing: await featureAt(x, y, (id) => isShown(things.get(id)) && !own.has(id), free, { within: true }),
  });
});

async function take(): Promise<void> {
  const now = docking.now();
  if (!now) return;
  if (now.grip === null) {
    if (now.over !== null) docking.change({ grip: now.over, over: null });
    return;
  }
  if (!now.landing) return;
  const params = { elements: elementsNow(), grip: now.grip, landing: now.landing.point };
  run(null);
  await takeStep("dock_elements", params, selectionStore.getState().ids);
}

function Prompt() {
  const now = docking.use();
  if (!now) return null;
  if (now.grip === null)
    return <span>{now.over === null ? "Point at the vertex that lands" : "Click to take this vertex"}</span>;
  return <span>{now.landing ? `Click to land on this ${called(now.landing)}` : "Point at where it lands"}</span>;
}

function Signs({ scheme }: { scheme: Scheme }) {
  const now = docking.use();
  const held = heldElements();
  if (!now || !held) return null;
  const grip = now.grip ?? now.over;
  const at = grip === null ? [] : [new Vector3().fromArray(held.cage.places, 3 * grip).applyMatrix4(held.item)];
  const to = now.landing ? [new Vector3(...now.landing.point)] : [];
  return (
    <>
      <Way points={[...at, ...to]} colour={scheme.ochre} />
      <FeatureSigns of={[now.landing]} colour={scheme.ochre} />
    </>
  );
}

/** Docking elements: the grip, then the landing. */
export const dockElementsMode: Mode = {
  kind: docking.kind,
  cross: true,
  move: ({ x, y, ctrl }) => latest.move(x, y, ctrl),
  press: () => ({
    move: ({ x, y, ctrl }) => latest.move(x, y, ctrl),
    release: ({ x, y, ctrl }) => latest.press(x, y, ctrl, take),
  }),
  enter: () => void take(),
  back() {
    if (docking.now()?.grip !== null && pickedNow().ids.size > 1)
      docking.begin({ grip: null, over: null, landing: null });
    else run(null);
  },
  Prompt,
  Signs,
};
