import { dragStore, useDrag } from "../../state/drag";
import { elementStore, openPiece } from "../../state/elements";
import { hover } from "../../state/selection";
import { viewStore } from "../../state/view";
import { viewport } from "../../viewport/controller";
import { besidePress, clickElement, elementKey, elementPress, hoverElement, outlineKey } from "../elements/press";
import { elementUnder } from "../elements/under";
import { wordsOf } from "../handles/handleDrag";
import { handlePlace } from "../handles/holding";
import { lookPress } from "../look/lookPress";
import { grabPath, pathPress } from "../paths/pathDrag";
import { thingUnder } from "../picking/boxSelect";
import { selectPress } from "../picking/selecting";
import { handlePress, typeOver } from "./handle";
import type { Mode } from "./mode";

const handleUnder = (x: number, y: number): string | null => (handlePlace() ? viewport.pickHandle(x, y) : null);

function Prompt() {
  const over = useDrag((s) => s.over);
  return over && <span>{wordsOf(over)}</span>;
}

/** Nothing runs: the pointer selects, grabs handles and points of paths, and looks about. */
export const restMode: Mode = {
  kind: "rest",
  handles: true,
  move({ x, y }) {
    if (openPiece()) {
      const handle = handleUnder(x, y);
      if (viewport.element) viewport.element.style.cursor = handle ? "grab" : "";
      if (dragStore.getState().over !== handle) dragStore.setState({ over: handle });
      if (handle) {
        elementStore.setState({ hovered: null });
        return hover(null);
      }
      return hover(hoverElement(x, y) ? null : thingUnder(x, y));
    }
    const grabbed = grabPath(x, y);
    // the points of a path lie over its handles
    const handle = grabbed ? null : handleUnder(x, y);
    if (viewport.element) viewport.element.style.cursor = handle || grabbed ? "grab" : "";
    if (dragStore.getState().over !== handle) dragStore.setState({ over: handle });
    hover(handle ? null : thingUnder(x, y));
  },
  press(at) {
    if (viewStore.getState().mode === "eye") return lookPress("turn", at);
    if (openPiece()) {
      const handle = at.shift || at.alt ? null : handleUnder(at.x, at.y);
      const under = elementUnder(at.x, at.y);
      if (handle) return handlePress(handle, at, (to) => (under ? clickElement(under, to) : undefined));
      return under ? elementPress(under, at) : besidePress(at);
    }
    const grabbed = grabPath(at.x, at.y);
    if (grabbed) return pathPress(grabbed, at);
    const handle = handleUnder(at.x, at.y);
    return handle ? handlePress(handle, at) : selectPress(at);
  },
  begins(letter) {
    const { over } = dragStore.getState();
    return over !== null && (/^[\d.,\-+(]$/.test(letter) || letter === "t") && typeOver(over);
  },
  key: elementKey,
  dragKey: outlineKey,
  enter: () => undefined,
  back: () => undefined,
  Prompt,
};
