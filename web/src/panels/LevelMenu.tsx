import { ChevronDown } from "lucide-react";
import { useState } from "react";
import { Header, Menu, MenuItem, MenuSection, MenuTrigger, Separator } from "react-aria-components";
import styled from "styled-components";
import { api } from "../api/client";
import { within } from "../api/here";
import { useBackups, useLevels, useProject, useRecent } from "../api/queries";
import { useLevel } from "../state/level";
import { restoreLevel } from "../state/levels";
import { bringBack, openProject } from "../state/projects";
import { Button, Floating } from "../ui/controls";
import { type Asked, LevelDialog } from "./LevelDialog";
import { ProjectFileDialog } from "./ProjectFileDialog";

const Name = styled(Button)`
  font-weight: 640; font-size: 0.9375rem; min-width: 0;
  & > span { overflow: hidden; text-overflow: ellipsis; }
`;
const Wide = styled(Floating)`
  max-width: 360px;
  && [role="menu"] { max-height: 70vh; }
  & header { padding: 6px 8px 2px; color: var(--quiet); font-size: 0.6875rem; font-weight: 620; }
  & header small { display: block; font-weight: 400; font-size: 0.6875rem; line-height: 0.875rem; overflow-wrap: anywhere; }
  & [role="separator"] { height: 1px; background: var(--line); margin: 4px 0; }
  & [data-here="true"] { font-weight: 620; color: var(--petrol); }
`;

/** Backups that the menu lists. */
const SHOWN = 5;
const DAYS = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
const dayOf = (seconds: number): string => DAYS.format(new Date(1000 * seconds));

/** The name of the level; under it all levels, what can be done with this one, and the project that they are in. */
export function LevelMenu({ onLevel, onSettings }: { onLevel: (id: string) => void; onSettings: () => void }) {
  const level = useLevel((s) => s.scene.level);
  const levels = useLevels();
  const project = useProject();
  const recent = useRecent();
  const backups = useBackups();
  const [asked, setAsked] = useState<Asked | null>(null);
  const [file, setFile] = useState<"new" | "open" | null>(null);
  const all = levels.data ?? [];
  const there = all.filter((l) => !l.deleted);
  const gone = all.filter((l) => l.deleted);
  const others = recent.filter((r) => !r.here);
  const act = (key: string) => {
    const [verb, what = ""] = key.split(":", 2);
    if (verb === "open") onLevel(what);
    else if (verb === "back") void restoreLevel(what).then((l) => l && onLevel(l.id));
    else if (verb === "settings") onSettings();
    else if (verb === "file") setFile(what === "new" ? "new" : "open");
    else if (verb === "copy") window.location.assign(within("copy"));
    else if (verb === "project") void openProject((running) => api.openProject(key.slice(8), running));
    else if (verb === "backup") void bringBack(key.slice(7));
    else if (verb === "demo") void openProject(api.openDemo);
    else setAsked(verb as Asked);
  };
  return (
    <>
      <MenuTrigger>
        <Name data-plain="true" aria-label={`Level ${level?.name ?? ""}`} onPress={() => void levels.refetch()}>
          <span>{level?.name ?? "…"}</span> <ChevronDown size={14} aria-hidden />
        </Name>
        <Wide placement="bottom start">
          <Menu aria-label="Levels and project" onAction={(key) => act(String(key))}>
            <MenuSection>
              <Header>Levels</Header>
              {there.map((l) => (
                <MenuItem key={l.id} id={`open:${l.id}`} textValue={l.name} data-here={l.id === level?.id}>
                  {l.name}
                </MenuItem>
              ))}
              {gone.map((l) => (
                <MenuItem key={l.id} id={`back:${l.id}`} textValue={`Bring back ${l.name}`}>
                  Bring back {l.name}
                </MenuItem>
              ))}
              <MenuItem id="new">New level …</MenuItem>
            </MenuSection>
            <Separator />
            <MenuSection>
              <Header>This level</Header>
              <MenuItem id="rename">Rename …</MenuItem>
              <MenuItem id="duplicate">Duplicate …</MenuItem>
              <MenuItem id="delete">Delete …</MenuItem>
            </MenuSection>
            <Separator />
            <MenuSection>
              <Header>
                Project {project?.name}
                <small>{project?.path}</small>
              </Header>
              <MenuItem id="copy">Save a copy</MenuItem>
              <MenuItem id="file:new">New project …</MenuItem>
              <MenuItem id="file:open">Open a project file …</MenuItem>
              {others.map((r) => (
                <MenuItem key={r.path} id={`project:${r.path}`} textValue={`Open ${r.name}`}>
                  Open {r.name}
                </MenuItem>
              ))}
              {project?.has_demo &&
                project.name !== "merrow-lock.db" &&
                !others.some((r) => r.name === "merrow-lock.db") && <MenuItem id="demo">Open the demo</MenuItem>}
            </MenuSection>
            <Separator />
            <MenuItem id="settings">Settings …</MenuItem>
            <Separator />
            <MenuSection>
              <Header>
                Backups, one a day
                <small>{backups?.folder}</small>
              </Header>
              {(backups?.backups ?? []).slice(0, SHOWN).map((b) => (
                <MenuItem key={b.name} id={`backup:${b.name}`} textValue={`Bring back ${dayOf(b.made)}`}>
                  Bring back {dayOf(b.made)}
                </MenuItem>
              ))}
              {backups?.backups.length === 0 && (
                <MenuItem id="nothing" isDisabled>
                  None yet
                </MenuItem>
              )}
            </MenuSection>
          </Menu>
        </Wide>
      </MenuTrigger>
      {file && project && <ProjectFileDialog kind={file} beside={project.path} onClose={() => setFile(null)} />}
      <LevelDialog asked={asked} levels={there} onClose={() => setAsked(null)} onLevel={onLevel} />
    </>
  );
}
