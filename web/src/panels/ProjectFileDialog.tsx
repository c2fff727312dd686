import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { api } from "../api/client";
import { openProject } from "../state/projects";
import { settingsStore } from "../theme/settings";
import { Button } from "../ui/controls";
import { Ask, Foot } from "../ui/Dialogs";
import { Wrong } from "../ui/NumberField";
import { Quiet } from "./parts";

const Field = styled.label`
  display: grid; gap: 4px; color: var(--quiet);
  & input { min-height: 1.75rem; padding: 3px 8px; border: 1px solid var(--line); border-radius: 3px; background: var(--field); color: var(--ink); }
`;

const WORDS = {
  new: { title: "New project", verb: "Make project", label: "Where the file is to lie, on the machine of the server" },
  open: { title: "Open a project file", verb: "Open", label: "Where the file lies, on the machine of the server" },
  copy: {
    title: "Open a copy",
    verb: "Copy and open",
    label: "Where the copy is to lie, on the machine of the server",
  },
} as const;

interface ProjectFileDialogProps {
  kind: "new" | "open" | "copy";
  /** What is copied: a project file that was dropped onto the page. */
  file?: File;
  /** The file of the project that is open: others are looked for beside it first. */
  beside: string;
  onClose: () => void;
}

/** Asks for the path of a project file that is made or opened, or that the copy of a dropped one is to have. */
export function ProjectFileDialog({ kind, file, beside, onClose }: ProjectFileDialogProps) {
  const end = Math.max(beside.lastIndexOf("/"), beside.lastIndexOf("\\")) + 1;
  const folder = beside.slice(0, end);
  const [path, setPath] = useState(folder + (file?.name ?? (kind === "new" ? "New project.db" : "")));
  const [wrong, setWrong] = useState("");
  const input = useRef<HTMLInputElement>(null);
  // the name can be typed at once, in the folder that is proposed
  useEffect(() => {
    const frame = requestAnimationFrame(() => input.current?.setSelectionRange(end, input.current.value.length));
    return () => cancelAnimationFrame(frame);
  }, [end]);
  const words = WORDS[kind];
  const accept = async () => {
    if (!path.trim()) return;
    const open = (running?: "wait" | "stop") =>
      file
        ? api.openCopy(file, path, running)
        : kind === "new"
          ? api.newFile(path, settingsStore.getState().budget, running)
          : api.openFile(path, running);
    let refused = false;
    const done = await openProject(open, (error) => {
      refused = true;
      setWrong(error.message);
    });
    // what is still being worked on is asked about in a dialog of its own
    if (!done && !refused) onClose();
  };
  return (
    <Ask open title={words.title} onClose={onClose} onAccept={() => void accept()}>
      <Field>
        {words.label}
        <input
          ref={input}
          // biome-ignore lint/a11y/noAutofocus: the sheet asks for nothing else
          autoFocus
          maxLength={4096}
          spellCheck={false}
          aria-invalid={wrong ? true : undefined}
          value={path}
          onChange={(event) => {
            setPath(event.currentTarget.value);
            setWrong("");
          }}
        />
      </Field>
      {wrong && <Wrong role="alert">{wrong}</Wrong>}
      {file && (
        <Quiet>{file.name} itself stays as it is. Close it elsewhere first, so that nothing is missing in it.</Quiet>
      )}
      <Foot>
        <Button onPress={onClose}>Cancel</Button>
        <Button type="submit" data-main="true" isDisabled={!path.trim()}>
          {words.verb}
        </Button>
      </Foot>
    </Ask>
  );
}
