import { useQuery } from "@tanstack/react-query";
import { useCallback, useEffect, useState } from "react";
import styled from "styled-components";
import { api } from "./api/client";
import { bindKeys } from "./keys";
import { BudgetStrip } from "./panels/BudgetStrip";
import { DrawCard } from "./panels/DrawCard";
import { EyeBar } from "./panels/EyeBar";
import { HandleBar } from "./panels/HandleBar";
import { ArrivalSheet } from "./panels/ImportSheet";
import { LastStepCard } from "./panels/LastStepCard";
import { LevelList } from "./panels/LevelList";
import { MeasureCard } from "./panels/MeasureCard";
import { Messages } from "./panels/Messages";
import { ProjectNotice } from "./panels/ProjectNotice";
import { SelectionCard } from "./panels/SelectionCard";
import { FindTool, KeySheet } from "./panels/Sheets";
import { Shelf } from "./panels/Shelf";
import { ToolsCard } from "./panels/ToolsCard";
import { TopLine } from "./panels/TopLine";
import { ViewStrip } from "./panels/ViewStrip";
import { Whereabouts } from "./panels/Whereabouts";
import { StageCard } from "./stages/StageCard";
import { bringIn } from "./state/imports";
import { kitStore } from "./state/kit";
import { levelStore } from "./state/level";
import { listen } from "./state/live";
import { tell } from "./state/messages";
import { seen, useSeen } from "./state/seen";
import { select } from "./state/selection";
import { openLevel } from "./viewport/look/opening";
import { draws } from "./viewport/modes/draw";
import { Viewport } from "./viewport/Viewport";

const Sheet = styled.div`
  height: 100%; display: grid; grid-template: var(--top) minmax(0, 1fr) var(--foot) / var(--left) minmax(0, 1fr) var(--cards);
  grid-template-areas: "top top top" "left view cards" "foot foot foot";
  & > header { grid-area: top; } & > footer { grid-area: foot; }
`;
const Left = styled.aside`
  grid-area: left; display: grid; grid-template-columns: minmax(0, 1fr); grid-template-rows: minmax(0, 1.15fr) minmax(0, 1fr); border-right: 1px solid var(--line); background: var(--panel);
  & > section { display: flex; flex-direction: column; min-height: 0; min-width: 0; }
  & > section + section { border-top: 1px solid var(--line); }
`;
const Centre = styled.main`grid-area: view; display: grid; grid-template-rows: var(--strip) minmax(0, 1fr); min-width: 0; position: relative;`;
const Cards = styled.aside`
  grid-area: cards; display: flex; flex-direction: column; gap: 10px; padding: 10px; overflow-y: auto; border-left: 1px solid var(--line);
`;

/** Files may be dropped anywhere on the page. */
function takeDrops(): () => void {
  const holds = (event: DragEvent) => event.dataTransfer?.types.includes("Files") === true;
  const over = (event: DragEvent) => {
    if (holds(event)) event.preventDefault();
  };
  const drop = (event: DragEvent) => {
    if (!holds(event)) return;
    event.preventDefault();
    void bringIn([...(event.dataTransfer?.files ?? [])], false);
  };
  window.addEventListener("dragover", over);
  window.addEventListener("drop", drop);
  return () => {
    window.removeEventListener("dragover", over);
    window.removeEventListener("drop", drop);
  };
}

/** The whole sheet. */
export function App() {
  const tools = useQuery({ queryKey: ["tools"], queryFn: api.tools, staleTime: Number.POSITIVE_INFINITY });
  const shapes = useQuery({ queryKey: ["shapes"], queryFn: api.shapes, staleTime: Number.POSITIVE_INFINITY });
  const levels = useQuery({ queryKey: ["levels"], queryFn: api.levels });
  const [levelId, setLevelId] = useState(levelStore.getState().levelId);
  const [sheet, setSheet] = useState<"find" | "keys" | null>(null);
  const drawing = draws.use() !== null;
  const open = levelId ?? levels.data?.[0]?.id ?? null;
  useEffect(() => {
    if (!open) return;
    select([]);
    let wanted = true;
    let stop: (() => void) | undefined;
    const opened = levelStore.getState().levelId === open ? Promise.resolve() : openLevel(open, () => wanted);
    opened.then(
      () => {
        if (wanted) stop = listen(open);
        // a mesh that does not come holds up no lists
        window.setTimeout(seen, 4000);
      },
      (error: Error) => {
        seen();
        tell(error.message, "error");
      },
    );
    return () => {
      wanted = false;
      stop?.();
    };
  }, [open]);
  useEffect(() => {
    if (shapes.data) kitStore.setState({ shapes: shapes.data });
  }, [shapes.data]);
  useEffect(takeDrops, []);
  const list = tools.data;
  useEffect(
    () => (list ? bindKeys(list, { find: () => setSheet("find"), keys: () => setSheet("keys") }) : undefined),
    [list],
  );
  const newLevel = useCallback(async () => {
    try {
      setLevelId((await api.createLevel("New level")).id);
    } catch (error) {
      tell((error as Error).message, "error");
    }
  }, []);
  const broken = levels.isError;
  useEffect(() => {
    if (broken) seen();
  }, [broken]);
  const every = list ?? [];
  const there = useSeen();
  return (
    <Sheet>
      <TopLine onLevel={setLevelId} onNewLevel={() => void newLevel()} onFind={list && (() => setSheet("find"))} />
      <Left>
        {there && (
          <>
            <section aria-label="Shelf">
              <Shelf tools={every} />
            </section>
            <section aria-label="Level">
              <LevelList />
            </section>
          </>
        )}
      </Left>
      <Centre>
        <ViewStrip />
        <Viewport />
        {there && (
          <>
            <Whereabouts />
            <HandleBar />
            <EyeBar />
          </>
        )}
        {there && <ProjectNotice />}
        <Messages />
      </Centre>
      <Cards aria-label="Cards">
        {there && (
          <>
            <DrawCard />
            <MeasureCard />
            {!drawing && <SelectionCard />}
            <StageCard />
            {!drawing && <ToolsCard tools={every} />}
            <LastStepCard tools={every} />
          </>
        )}
      </Cards>
      {there && (
        <>
          <BudgetStrip />
          <ArrivalSheet />
          <FindTool open={sheet === "find"} onClose={() => setSheet(null)} tools={every} />
          <KeySheet open={sheet === "keys"} onClose={() => setSheet(null)} />
        </>
      )}
    </Sheet>
  );
}
