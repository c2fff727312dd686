import { Download, FileInput, House } from "lucide-react";
import { useRef, useState } from "react";
import styled from "styled-components";
import { within } from "../api/here";
import type { Piece } from "../api/types";
import { ModelFile } from "../panels/ModelFile";
import { Card, Quiet } from "../panels/parts";
import { levelStore, useLevel } from "../state/level";
import { tell } from "../state/messages";
import { takeStep } from "../state/steps";
import { viewStore } from "../state/view";
import { startExport } from "../state/work";
import { Button, OnOff, Picker } from "../ui/controls";
import { Labelled } from "../ui/Labelled";
import { viewport } from "../viewport/controller";

const Column = styled.div`&& { display: grid; gap: 8px; } & button { justify-content: flex-start; }`;

/** Items of a level beyond which it is written beside other work. */
const MUCH = 5000;

const WHOLE = "Meshes that pieces share stay shared. The file brings arrays, courses and paths back here as they are.";
const LEAN = "Meshes that pieces share stay shared. Brought back here, arrays and courses are what stands there.";
const RUNGS = [
  { value: "", label: "None" },
  { value: "lod", label: "As MSFT_lod" },
  { value: "names", label: "By names, _LOD0 …" },
];

/** Whether a piece has rungs of the mesh that it has now. */
const hasRungs = (p: Piece | undefined): boolean =>
  p?.ladder != null && p.ladder.rungs.length > 0 && p.ladder.source === p.mesh;

/** What Ship offers: the level as a file, and files into the level. */
export default function ShipStage() {
  const [rungs, setRungs] = useState("");
  const [lean, setLean] = useState(false);
  const pieces = useLevel((s) => s.scene.pieces);
  const uses = useLevel((s) => s.scene.summary?.uses);
  const laddered = uses?.some((u) => hasRungs(pieces.get(u.piece))) ?? false;
  const how = { ...(lean && { lean }), ...(laddered && rungs && { rungs: rungs as "lod" | "names" }) };
  const query = new URLSearchParams(Object.entries(how).map(([k, v]) => [k, String(v)])).toString();
  const levelId = useLevel((s) => s.levelId);
  const name = useLevel((s) => s.scene.level?.name ?? "level");
  const items = useLevel((s) => s.scene.summary?.placements ?? 0);
  const file = useRef<HTMLInputElement>(null);
  const keepView = async () => {
    const eye = viewport.camera.position.toArray();
    await takeStep("level_settings", { home: [eye, viewStore.getState().target] }, []);
    if (levelStore.getState().online) tell("The level will open with this view.");
  };
  return (
    <Card aria-label="Export">
      <header>
        <h2>Export</h2>
        <span>glTF 2.0 binary</span>
      </header>
      <Column>
        <Quiet>{lean ? LEAN : WHOLE}</Quiet>
        {laddered && (
          <Labelled title="For an engine: the extension MSFT_lod, or nodes called Name_LOD0, Name_LOD1 …">
            <span>Rungs</span>
            <Picker label="Rungs" value={rungs} options={RUNGS} onChange={setRungs} />
          </Labelled>
        )}
        <Labelled title="Triangles alone, for an engine: without what brings the level back here as it is">
          <span>Lean</span>
          <OnOff label="Lean" value={lean} onChange={setLean} />
        </Labelled>
        {items > MUCH ? (
          <Button data-main="true" onPress={() => void startExport(how)}>
            <Download size={16} aria-hidden /> Export {name} as GLB
          </Button>
        ) : (
          <ExportLink href={within(`levels/${levelId}/export.glb${query ? `?${query}` : ""}`)} download>
            <Download size={16} aria-hidden /> Export {name} as GLB
          </ExportLink>
        )}
        <Button onPress={() => file.current?.click()}>
          <FileInput size={16} aria-hidden /> Bring in a file where it stands
        </Button>
        <Button onPress={() => void keepView()}>
          <House size={16} aria-hidden /> Open the level with this view
        </Button>
        <ModelFile ref={file} label="File to place where it stands" place />
      </Column>
    </Card>
  );
}

const ExportLink = styled.a`
  display: inline-flex; align-items: center; gap: 6px; padding: 5px 10px; border-radius: 3px; background: var(--brick);
  color: var(--on-brick); font-weight: 580; text-decoration: none;
`;
