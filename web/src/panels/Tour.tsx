import { useEffect, useState } from "react";
import styled from "styled-components";
import { useLevel } from "../state/level";
import { type Stage, setView } from "../state/view";
import { keep, keepsAny, kept } from "../theme/kept";
import { Button, Key } from "../ui/controls";

const NAME = "tour";

interface Step {
  title: string;
  text: string;
  /** The keys that are spoken of. */
  keys?: string;
  stage?: Stage;
  /** The part of the page that it is about, by its label. */
  about: string;
}

const STEPS: readonly Step[] = [
  {
    title: "Place",
    text: "Drag a piece from the shelf into the view. It lands on the grid, or on what stands there.",
    stage: "build",
    about: "Shelf",
  },
  {
    title: "Dock",
    text: "Select something, press K, click a corner of it, then the corner where that is to end. They meet exactly.",
    keys: "K",
    stage: "build",
    about: "Viewport",
  },
  {
    title: "Lay a course",
    text: "Draw a path point by point, and lay a course of pieces along it. Drag the path afterwards: the course follows.",
    stage: "build",
    about: "Tools",
  },
  {
    title: "Slim",
    text: "In Slim, select a dense piece and say how many triangles are to be left. All its placements follow.",
    stage: "slim",
    about: "Stages",
  },
  {
    title: "Export",
    text: "In Ship, the whole level goes out as one GLB, with shared meshes, names and pivots.",
    stage: "ship",
    about: "Stages",
  },
  {
    title: "Undo",
    text: "Every change is a step: Ctrl Z takes it back, and Last step lets its numbers be changed.",
    keys: "Ctrl Z",
    stage: "build",
    about: "Last step",
  },
];

const Card = styled.section`
  position: absolute; z-index: 5; right: 12px; top: 12px; width: 18.125rem; padding: 12px 14px; background: var(--panel); border: 1px solid var(--petrol);
  border-radius: 4px; box-shadow: var(--float); display: grid; gap: 8px;
  & header { display: flex; gap: 8px; } & header h2 { flex: 1; font-weight: 640; } & header span { color: var(--quiet); }
  & footer { display: flex; gap: 6px; align-items: center; } & footer > :first-child { margin-right: auto; }
`;

/** Six short steps for a first visit; they come once by themselves, and again when asked for. */
export function Tour({ again, onEnd }: { again: boolean; onEnd: () => void }) {
  const some = useLevel((s) => s.scene.pieces.size > 0);
  const [first, setFirst] = useState(() => kept(NAME) === null && keepsAny());
  const [at, setAt] = useState(0);
  const open = again || (first && some);
  const step = STEPS[at];
  useEffect(() => {
    if (open) keep(NAME, "seen");
  }, [open]);
  useEffect(() => {
    if (!open || !step) return;
    const { stage, about } = step;
    if (stage) setView({ stage });
    const part = document.querySelector(`[aria-label="${about}"]`);
    part?.setAttribute("data-toured", "true");
    return () => part?.removeAttribute("data-toured");
  }, [open, step]);
  if (!open || !step) return null;
  const end = () => {
    setFirst(false);
    setAt(0);
    onEnd();
  };
  const last = at === STEPS.length - 1;
  return (
    <Card
      aria-label="Tour"
      onKeyDown={(event) => {
        if (event.key === "Escape") {
          event.stopPropagation();
          end();
        }
      }}
    >
      <header>
        <h2>{step.title}</h2>
        <span>
          {at + 1} of {STEPS.length}
        </span>
      </header>
      <p aria-live="polite">
        {step.text} {step.keys && <Key>{step.keys}</Key>}
      </p>
      <footer>
        <Button data-plain="true" onPress={end}>
          Skip
        </Button>
        {at > 0 && <Button onPress={() => setAt(at - 1)}>Back</Button>}
        <Button data-main="true" onPress={() => (last ? end() : setAt(at + 1))}>
          {last ? "Done" : "Next"}
        </Button>
      </footer>
    </Card>
  );
}
