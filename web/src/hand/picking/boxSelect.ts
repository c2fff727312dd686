import { Vector3 } from "three";
import { boxOf, isDrawn } from "../../scene/pieces/entries";
import { kindOf } from "../../state/kinds";
import { isShown, levelStore, shown } from "../../state/level";
import { runningStore } from "../../state/running";
import { openGroup, select, selectionStore } from "../../state/selection";
import { takeStep } from "../../state/steps";
import { insideOf, isLocked, picked, under } from "../../state/tree";
import { setView, viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";
import { pathUnder, placeOnPath } from "../paths/pathUnder";
import { seenThings } from "./drawnIds";

/** What a click at a place of the viewport means: a thing, or the group that it is in; nothing that is locked. */
export function thingUnder(x: number, y: number): string | null {
  const { things } = shown(levelStore.getState());
  const { inside } = viewStore.getState();
  const open = (id: string) => !isLocked(things, id) && picked(things, id, inside) !== null;
  const hit = viewport.pick(x, y, open);
  const path = pathUnder(x, y, hit?.distance);
  const found = path && open(path) ? path : hit?.thing;
  return found ? picked(things, found, inside) : null;
}

/** Open the piece that a thing shows, where it stands. */
export function openInShape(id: string): void {
  if (viewStore.getState().stage === "shape" || !isShown(levelStore.getState().scene.things.get(id))) return;
  select([id]);
  setView({ stage: "shape" });
}

/** Work within the group under a place of the viewport. */
export function openUnder(x: number, y: number): void {
  if (runningStore.getState().now) return;
  const { things } = shown(levelStore.getState());
  const { ids } = selectionStore.getState();
  const path = ids.length === 1 ? placeOnPath(ids[0] ?? "", x, y) : null;
  if (path !== null) {
    void takeStep("path_points", { does: "put in", at: path }, ids);
    return;
  }
  const group = thingUnder(x, y);
  if (!group) return;
  if (things.get(group)?.kind !== "group") return void openInShape(group);
  openGroup(group);
  const one = thingUnder(x, y);
  select(one ? [one] : []);
}

interface Rectangle {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

/** Things that are seen whole within a rectangle of the viewport; with front only, those of them that nothing hides. */
export function inBox(x0: number, y0: number, x1: number, y1: number): string[] {
  const scene = shown(levelStore.getState());
  const { inside, isolated, through } = viewStore.getState();
  const box = { left: Math.min(x0, x1), right: Math.max(x0, x1), top: Math.min(y0, y1), bottom: Math.max(y0, y1) };
  const found = insideOf(scene.things, inside).filter((thing) => {
    if (isLocked(scene.things, thing.id)) return false;
    const drawn = under(scene.things, [thing.id]).filter((t) => isDrawn(scene, t, isolated));
    const round = boxOf(
      scene,
      drawn.filter((t) => kindOf(t).runs || kindOf(t).points).map((t) => t.id),
    );
    return round !== null && isWithin(round.low, round.high, box);
  });
  if (through) return found.map((t) => t.id);
  const seen = seenThings(box.left, box.top, box.right, box.bottom);
  const meantBy = new Set([...seen].map((id) => picked(scene.things, id, inside)));
  return found.filter((t) => t.kind === "path" || meantBy.has(t.id)).map((t) => t.id);
}

/** Whether a box in the world is seen whole within a rectangle: what reaches out of it, as the ground does, is not
 * meant. */
function isWithin(low: Vector3, high: Vector3, box: Rectangle): boolean {
  for (let k = 0; k < 8; k++) {
    const seen = viewport.seen(new Vector3(k & 1 ? high.x : low.x, k & 2 ? high.y : low.y, k & 4 ? high.z : low.z));
    if (!seen || seen.x < box.left || seen.x > box.right || seen.y < box.top || seen.y > box.bottom) return false;
  }
  return true;
}
