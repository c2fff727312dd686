import { lazy, Suspense, useEffect, useState } from "react";
import styled from "styled-components";
import { Problem } from "./api/client";
import { firstLevel, rememberLevel } from "./api/early";
import { askLevels, useLevels, useRules, useShapes, useTools } from "./api/queries";
import { draws } from "./hand/modes/draw";
import { bindKeys, PAGE_KEYS } from "./keys";
import { BudgetStrip } from "./panels/BudgetStrip";
import { DrawCard } from "./panels/DrawCard";
import { Edge, useFolded } from "./panels/Edge";
import { EmptyStart } from "./panels/EmptyStart";
import { EyeBar } from "./panels/EyeBar";
import { HandleBar } from "./panels/HandleBar";
import { KeySheet } from "./panels/KeySheet";
import { LastStepCard } from "./panels/LastStepCard";
import { LevelList } from "./panels/LevelList";
import { MeasureCard } from "./panels/MeasureCard";
import { Messages } from "./panels/Messages";
import { ProjectDialogs } from "./panels/ProjectDialogs";
import { ProjectNotice } from "./panels/ProjectNotice";
import { SelectionCard } from "./panels/SelectionCard";
import { ElementBar, OpenBar } from "./panels/ShapeBars";
import { FindTool } from "./panels/Sheets";
import { Shelf } from "./panels/Shelf";
import { ToolsCard } from "./panels/ToolsCard";
import { TopLine } from "./panels/TopLine";
import { ViewStrip } from "./panels/ViewStrip";
import { Whereabouts } from "./panels/Whereabouts";
import { WorkCard } from "./panels/WorkCard";
import { Divider } from "./stages/Divider";
import { loadStages, StageCard } from "./stages/StageCard";
import { chooseFiles } from "./state/batches";
import { followEnds } from "./state/ends";
import { bringIn, models } from "./state/imports";
import { levelStore, useLevel } from "./state/level";
import { listen } from "./state/live";
import { tell } from "./state/messages";
import { dropProject, isProjectFile } from "./state/projects";
import { useRunning } from "./state/running";
import { seen, useSeen } from "./state/seen";
import { select, useSelection } from "./state/selection";
import { setView, useView, viewStore } from "./state/view";
import { followWork } from "./state/work";
import { fold, isFolded } from "./theme/layout";
import { Boundary } from "./ui/Boundary";
import { openLevel } from "./viewport/opening";
import { Viewport } from "./viewport/Viewport";

const Sheet = styled.div`
  height: 100%; display: grid; grid-template: var(--top) minmax(0, 1fr) var(--foot) / var(--left) minmax(0, 1fr) var(--cards);
  grid-template-areas: "top top top" "left view cards" "foot foot foot";
  & > header { grid-area: top; } & > footer { grid-area: foot; }
`;
const Left = styled.aside`
  &[hidden] { display: none; }
  grid-area: left; position: relative; display: grid; grid-template-columns: minmax(0, 1fr); grid-template-rows: minmax(0, 1.15fr) minmax(0, 1fr); border-right: 1px solid var(--line); background: var(--panel);
  & > section { display: flex; flex-direction: column; min-height: 0; min-width: 0; }
  & > section + section { border-top: 1px solid var(--line); }
`;
const Centre = styled.main`grid-area: view; display: grid; grid-template-rows: auto minmax(0, 1fr); min-width: 0;`;
const View = styled.div`position: relative; display: grid; min-width: 0; min-height: 0;`;
const Cards = styled.aside`
  &[hidden] { display: none; }
  grid-area: cards; position: relative; display: flex; flex-direction: column; min-height: 0; border-left: 1px solid var(--line);
`;
const Scrolled = styled.div`
  flex: 1; min-height: 0; background: var(--sheet); display: flex; flex-direction: column; gap: 8px; padding: 8px 2px 8px 8px; overflow-y: auto; scrollbar-gutter: stable; scrollbar-width: thin;
`;
const Title = styled.h1`
  && { position: absolute; width: 1px; height: 1px; overflow: hidden; clip-path: inset(50%); white-space: nowrap; }
`;

const ImportSheet = lazy(() => import("./panels/ImportSheet").then((m) => ({ default: m.ImportSheet })));
const SettingsSheet = lazy(() => import("./panels/SettingsSheet").then((m) => ({ default: m.SettingsSheet })));
const Tour = lazy(() => import("./panels/Tour").then((m) => ({ default: m.Tour })));

/** Files may be dropped anywhere on the page. */
function takeDrops(): () => void {
  const holds = (event: DragEvent) => event.dataTransfer?.types.includes("Files") === true;
  const over = (event: DragEvent) => {
    if (holds(event)) event.preventDefault();
  };
  const drop = (event: DragEvent) => {
    if (!holds(event)) return;
    event.preventDefault();
    const files = [...(event.dataTransfer?.files ?? [])];
    const [first] = files;
    if (first && isProjectFile(first)) {
      dropProject(first);
      return;
    }
    // on the card, or many models at once: that can only be meant for slimming
    const onCard = event.target instanceof Element && event.target.closest("[data-drop='slim']") !== null;
    if (onCard || (viewStore.getState().stage === "slim" && models(files).length > 1)) {
      select([]);
      chooseFiles(files);
    } else void bringIn(files, false);
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
  const tools = useTools();
  const levels = useLevels();
  useShapes();
  const body = useRules()?.body;
  useEffect(() => {
    if (body) setView({ body });
  }, [body]);
  const [levelId, setLevelId] = useState(levelStore.getState().levelId);
  const [sheet, setSheet] = useState<"find" | "keys" | "settings" | null>(null);
  const [tour, setTour] = useState(false);
  const drawing = draws.use() !== null;
  // in Slim and Shape the stage comes before where things stand
  const slimming = useView((v) => v.stage === "slim");
  const atWork = useRunning((r) => r.card !== null);
  const shaping = useView((v) => v.stage === "shape");
  const fewest = useSelection((s) => s.ids.length <= 1);
  const name = useLevel((s) => s.scene.level?.name);
  const [noLeft, noCards] = [useFolded("left"), useFolded("cards")];
  const open = levelId ?? (levels.data && firstLevel(levels.data)?.id) ?? null;
  useEffect(() => (open ? openAndFollow(open, setLevelId) : undefined), [open]);
  useEffect(takeDrops, []);
  useEffect(() => void followWork(), []);
  useEffect(
    () => (tools ? bindKeys(tools, { find: () => setSheet("find"), keys: () => setSheet("keys") }) : undefined),
    [tools],
  );
  const broken = levels.isError;
  useEffect(() => {
    if (broken) seen();
  }, [broken]);
  // a card that asks for something is never folded away
  const asks = useRunning((s) => s.card !== null) || drawing;
  useEffect(() => {
    if (asks && isFolded("cards")) fold("cards", false);
  }, [asks]);
  const every = tools ?? [];
  const selected = useSelection((s) => s.ids.join());
  const stageNow = useView((v) => v.stage);
  const stage = (
    <Boundary about={stageNow} what="The stage's card">
      <StageCard />
    </Boundary>
  );
  const there = useSeen();
  useEffect(() => {
    if (there) loadStages();
  }, [there]);
  return (
    <Sheet>
      <TopLine
        onLevel={setLevelId}
        onSettings={() => setSheet("settings")}
        onFind={tools && (() => setSheet("find"))}
      />
      <Left hidden={noLeft} aria-label="Lists">
        {there && !noLeft && (
          <>
            <section aria-label="Shelf">
              <Boundary what="The shelf">
                <Shelf tools={every} />
              </Boundary>
            </section>
            <section aria-label="Level">
              <Boundary what="The level's list">
                <LevelList />
              </Boundary>
            </section>
            <Edge side="left" />
          </>
        )}
      </Left>
      <Centre>
        <Title>{name ? `Able Brick: ${name}` : "Able Brick"}</Title>
        <ViewStrip />
        <View>
          <Boundary what="The view" alone>
            <Viewport />
          </Boundary>
          {there && (
            <>
              <Whereabouts />
              <HandleBar />
              <OpenBar />
              <ElementBar />
              <Divider />
              <EyeBar />
              <EmptyStart />
              <ProjectNotice />
              <Suspense>
                <Tour again={tour} onEnd={() => setTour(false)} />
              </Suspense>
            </>
          )}
          <Messages />
        </View>
      </Centre>
      <Cards hidden={noCards} aria-label="Cards">
        {there && !noCards && (
          <>
            <Edge side="cards" />
            <Scrolled>
              <Boundary what="The card for drawing">
                <DrawCard />
              </Boundary>
              <Boundary what="The card for measuring">
                <MeasureCard />
              </Boundary>
              {(slimming || shaping) && stage}
              {!drawing && !(shaping && (atWork || fewest)) && (
                <Boundary about={selected} what="The selection">
                  <SelectionCard />
                </Boundary>
              )}
              {!slimming && !shaping && stage}
              {!drawing && (
                <Boundary what="The tools">
                  <ToolsCard tools={every} />
                </Boundary>
              )}
            </Scrolled>
            <Boundary what="What is being worked on">
              <WorkCard />
            </Boundary>
            <Boundary what="The last step">
              <LastStepCard tools={every} />
            </Boundary>
          </>
        )}
      </Cards>
      {there && (
        <>
          <Boundary what="The counts">
            <BudgetStrip />
          </Boundary>
          <Boundary what="The file's sheet">
            <Suspense>
              <ImportSheet />
            </Suspense>
          </Boundary>
          <ProjectDialogs />
          <FindTool open={sheet === "find"} onClose={() => setSheet(null)} tools={every} />
          <Suspense>
            {sheet === "settings" && <SettingsSheet onClose={() => setSheet(null)} onKeys={() => setSheet("keys")} />}
          </Suspense>
          <KeySheet
            open={sheet === "keys"}
            tools={every}
            page={PAGE_KEYS}
            onClose={() => setSheet(null)}
            onTour={() => {
              setSheet(null);
              setTour(true);
            }}
          />
        </>
      )}
    </Sheet>
  );
}

/** Open a level and hear of its changes; returns how to leave it. */
function openAndFollow(level: string, onLevel: (id: string | null) => void): () => void {
  select([]);
  let wanted = true;
  let stop: (() => void) | undefined;
  rememberLevel(level);
  const opened = levelStore.getState().levelId === level ? Promise.resolve() : openLevel(level, () => wanted);
  const gone = () => {
    if (!wanted) return;
    tell("This level is not there any more; another one is open now.");
    levelStore.setState({ levelId: null });
    rememberLevel("");
    void askLevels().then(() => onLevel(null));
  };
  opened.then(
    () => {
      if (!wanted) return;
      const [hear, follow] = [listen(level, gone), followEnds()];
      stop = () => {
        hear();
        follow();
      };
      // a mesh that does not come holds up no lists
      window.setTimeout(seen, 4000);
    },
    (error: Error) => {
      seen();
      if (error instanceof Problem && error.code === "unknown_id") gone();
      else tell(error.message, "error");
    },
  );
  return () => {
    wanted = false;
    stop?.();
  };
}
