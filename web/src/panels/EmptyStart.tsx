import { BoxSelect, FileInput, Landmark } from "lucide-react";
import { useRef, useState } from "react";
import styled from "styled-components";
import { api } from "../api/client";
import { useProject, useRules } from "../api/queries";
import { startDrawing } from "../hand/modes/draw";
import { useLevel } from "../state/level";
import { openProject } from "../state/projects";
import { useRunning } from "../state/running";
import { Button } from "../ui/controls";
import { ModelFile } from "./ModelFile";

const Card = styled.section`
  position: absolute; z-index: 4; top: 50%; left: 50%; transform: translate(-50%, -50%); width: min(520px, 86%); padding: 18px 20px;
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; box-shadow: var(--float); display: grid; gap: 12px;
  & h2 { font-weight: 640; font-size: 0.9375rem; }
  & > div { display: grid; grid-template-columns: repeat(3, minmax(0, 1fr)); gap: 10px; }
`;
const Way = styled(Button)`
  && { flex-direction: column; align-items: flex-start; gap: 6px; padding: 12px; white-space: normal; text-align: left; min-height: 6.75rem; justify-content: flex-start; }
  & strong { font-weight: 620; }
  & small { color: var(--quiet); font-size: 0.75rem; line-height: 1rem; }
`;

/** Three ways to begin, in a project with nothing in it. */
export function EmptyStart() {
  const pieces = useLevel((s) => s.scene.pieces.size);
  const things = useLevel((s) => s.scene.things.size);
  const opened = useLevel((s) => s.levelId !== null);
  const running = useRunning((s) => s.now !== null);
  const project = useProject();
  const rules = useRules();
  const file = useRef<HTMLInputElement>(null);
  const [building, setBuilding] = useState(false);
  if (!opened || running || pieces > 0 || things > 0 || project?.read_only) return null;
  const demo = async () => {
    setBuilding(true);
    if (!(await openProject(api.openDemo))) setBuilding(false);
  };
  return (
    <Card aria-label="Begin">
      <h2>Nothing here yet. How do you want to begin?</h2>
      <div>
        <Way onPress={() => startDrawing("box")}>
          <BoxSelect size={20} aria-hidden />
          <strong>Draw a piece</strong>
          <small>Drag a box on the ground; more shapes are under New on the shelf.</small>
        </Way>
        <Way onPress={() => file.current?.click()}>
          <FileInput size={20} aria-hidden />
          <strong>Bring in a file</strong>
          <small>
            {(rules?.models ?? []).map((m) => m.slice(1).toUpperCase().replace("GLTF", "glTF")).join(", ")}, here or
            dropped on the page.
          </small>
        </Way>
        {project?.has_demo && (
          <Way isDisabled={building} onPress={() => void demo()}>
            <Landmark size={20} aria-hidden />
            <strong>{building ? "Building …" : "Open the demo"}</strong>
            <small>Merrow Lock, a canal lock to look round in and to change.</small>
          </Way>
        )}
      </div>
      <ModelFile ref={file} label="File to begin with" />
    </Card>
  );
}
