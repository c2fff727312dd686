import styled from "styled-components";
import type { Feature } from "../api/types";
import { useLevel } from "../state/level";
import { type DrawRun, useRunning } from "../state/running";
import { isFlat } from "./docking";
import { useDrag } from "./drag";
import { standsInLevel } from "./featurePick";
import { port } from "./port";

const Line = styled.output`
  position: absolute; z-index: 5; pointer-events: none; max-width: 430px; width: max-content; padding: 4px 8px; border-radius: 3px;
  background: var(--dark); color: var(--on-dark); box-shadow: var(--float);
  & b { font-weight: 620; }
  & span { opacity: 0.72; }
`;

const CAUGHT = {
  vertex: "a vertex",
  edge: "an edge middle",
  face: "a face centre",
  pivot: "a pivot",
  "path point": "a path point",
  "on edge": "an edge",
} as const;
const FEATURES = {
  vertex: "vertex",
  edge: "edge middle",
  "on edge": "place on the edge",
  face: "face centre",
  pivot: "pivot",
} as const;

/** What a feature is, and how far from its end a place on an edge is. */
const called = ({ kind, away }: Feature): string =>
  `${FEATURES[kind]}${kind === "on edge" ? `, ${Number((away ?? 0).toFixed(3))} m from its end` : ""}`;

/** What the stage of a drawing measures now, and the size and triangles of the whole. */
function drawn(now: DrawRun, note: string): string {
  const values = Object.entries(now.found?.values ?? {});
  const turns = now.info.drags[now.stage]?.per ? "" : " m";
  if (values.length === 0) return now.hover && now.stage === 0 ? `${spoken(now.hover)} m` : "";
  const text = values.length > 2 ? values.filter(([name]) => name.startsWith("opening")) : values;
  return `${text.map(([, v]) => v.toFixed(2)).join(" × ")}${turns}${note ? ` · ${note}` : ""}`;
}

const spoken = (at: readonly number[]): string => at.map((v) => v.toFixed(2).replace("-", "−")).join(", ");

/** The line at the pointer: what the next press does, and the measure, which can be typed over. */
export function Prompt() {
  const now = useRunning((s) => s.now);
  const typed = useRunning((s) => s.typed);
  const pivots = useRunning((s) => s.pivots);
  const pointer = useRunning((s) => s.pointer);
  const pieces = useLevel((s) => s.scene.pieces);
  const note = useLevel((s) => s.previewNote);
  const caught = useDrag((s) => s.caught?.kind);
  if (!now) return null;
  const frame = port.element?.getBoundingClientRect();
  const left = Math.max(8, Math.min(pointer.x - (frame?.left ?? 0) + 18, port.width - 440));
  const top = Math.max(8, Math.min(pointer.y - (frame?.top ?? 0) + 22, port.height - 40));
  const onPivots = standsInLevel(now) && <span> · P pivots {pivots ? "on" : "off"}</span>;
  const point = pivots ? "Point at what has the pivot" : "Point at a vertex, an edge or a face";
  const measure = (value: string) => <b>{typed || value}</b>;
  const style = frame && pointer.x > 0 ? { left, top } : { left: 16, top: 48 };
  return (
    <Line aria-live="polite" style={style}>
      {now.kind === "place" && (
        <>
          Click to place {pieces.get(now.piece)?.name} <span>or type X, Z</span>{" "}
          {measure(now.at ? `${now.at.map((v) => v.toFixed(2)).join(", ")} m` : "")}
        </>
      )}
      {now.kind === "path" && now.points.length === 0 && (
        <>
          Click where the path starts <span>or type X, Z</span> {measure("")}
        </>
      )}
      {now.kind === "path" && now.points.length > 0 && (
        <>
          Click for the next point, drag to curve it <span>· Enter ends the path</span>{" "}
          {measure(note.split(",")[0] ?? "")}
        </>
      )}
      {now.kind === "draw" && (
        <>
          {now.info.drags[now.stage]?.prompt} <span>or type</span> {measure(drawn(now, note))}
        </>
      )}
      {now.kind === "pick" && (
        <span>
          {now.feature ? `Click to take this ${called(now.feature)}` : (!pivots && now.words) || point}
          {onPivots}
        </span>
      )}
      {now.kind === "measure" && (
        <span>
          {now.feature
            ? `Click to measure ${now.picked.length === 0 || now.picked.length > 2 ? "from" : now.picked.length === 1 ? "to" : "the angle to"} this ${called(now.feature)}`
            : point}
          {onPivots}
        </span>
      )}
      {now.kind === "dock" && !now.grip && (
        <span>
          {now.feature ? `Click to grip this ${called(now.feature)}` : "Point at what the grip is to be"}
          {onPivots}
        </span>
      )}
      {now.kind === "dock" && now.grip && (
        <>
          {now.feature
            ? `Click to land on this ${called(now.feature)}`
            : now.point
              ? "Click to land here"
              : "Point at where it lands"}{" "}
          {pivots && onPivots}
          <span>· F flat {isFlat(now) ? "on" : "off"}</span>
          {isFlat(now) && (
            <>
              <span>
                {" "}
                · Q turn {90 * now.quarters}° · E edges {now.align ? "in line" : "free"} · type the gap
              </span>{" "}
              {measure("0 m")}
            </>
          )}
        </>
      )}
      {now.kind === "drag" && (
        <>
          {now.words} <span>or type</span> {measure(`${now.value} ${now.unit}`)}
          {caught && <span> · caught {CAUGHT[caught]}</span>}
        </>
      )}
    </Line>
  );
}
