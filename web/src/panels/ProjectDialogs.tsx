import styled from "styled-components";
import { hereNow } from "../api/here";
import { useProject } from "../api/queries";
import { dropProject, goAlong, leave, openOwn, stay, useDropped, useLeaving, useOther } from "../state/projects";
import { Button } from "../ui/controls";
import { Ask, Foot } from "../ui/Dialogs";
import { ProjectFileDialog } from "./ProjectFileDialog";

const List = styled.ul`
  margin: 0; padding-left: 18px; max-height: 30vh; overflow-y: auto; scrollbar-width: thin;
  & li { overflow-wrap: anywhere; }
`;

const Path = styled.small`color: var(--quiet);`;

/** What has to be decided when projects change: what becomes of work that runs, and where a page goes whose project is
 * not open any more. */
export function ProjectDialogs() {
  const leaving = useLeaving();
  const other = useOther();
  const dropped = useDropped();
  const project = useProject();
  if (leaving) return <StillWorking running={leaving.running} waiting={leaving.waiting} />;
  if (other) return <OtherProject name={other.name} path={other.path} />;
  if (dropped && project)
    return <ProjectFileDialog kind="copy" file={dropped} beside={project.path} onClose={() => dropProject(null)} />;
  return null;
}

function StillWorking({ running, waiting }: { running: readonly string[]; waiting: boolean }) {
  return (
    <Ask open title="Something is still being worked on" alert onClose={stay} onAccept={() => void leave("wait")}>
      <List>
        {running.map((title) => (
          <li key={title}>{title}</li>
        ))}
      </List>
      <p role="status">
        {waiting
          ? "The other project opens as soon as that has ended …"
          : "Only one project is open at a time. What is stopped leaves nothing behind; what is waited for is kept."}
      </p>
      <Foot>
        <Button onPress={stay}>Stay here</Button>
        <Button onPress={() => void leave("stop")}>Stop it and open</Button>
        <Button type="submit" data-main="true" autoFocus isDisabled={waiting}>
          Wait, then open
        </Button>
      </Foot>
    </Ask>
  );
}

function OtherProject({ name, path }: { name: string; path: string }) {
  const own = hereNow();
  return (
    <Ask open fixed title={`This tab belongs to ${own?.name ?? "another project"}`} alert onAccept={goAlong}>
      <p>
        {name} was opened meanwhile, in another tab or by a script. Nothing that is done here is done to it.
        <br />
        <Path>{path}</Path>
      </p>
      <Foot>
        <Button onPress={() => void openOwn()}>Open {own?.name ?? "it"} again</Button>
        <Button type="submit" data-main="true" autoFocus>
          Go along
        </Button>
      </Foot>
    </Ask>
  );
}
