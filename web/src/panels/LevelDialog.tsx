import { type RefObject, useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { askLevels } from "../api/queries";
import type { LevelSummary } from "../api/types";
import { useLevel } from "../state/level";
import { deleteLevel, duplicateLevel, makeLevel, nextName, restoreLevel } from "../state/levels";
import { tell } from "../state/messages";
import { takeStep } from "../state/steps";
import { Button } from "../ui/controls";
import { Ask, Foot } from "../ui/Dialogs";

/** What is asked about levels. */
export type Asked = "new" | "rename" | "duplicate" | "delete";

const TITLES: Record<Exclude<Asked, "delete">, { title: string; verb: string }> = {
  new: { title: "New level", verb: "Make level" },
  rename: { title: "Rename level", verb: "Rename" },
  duplicate: { title: "Duplicate level", verb: "Duplicate" },
};
const Field = styled.label`
  display: grid; gap: 4px; color: var(--quiet);
  & input { min-height: 1.75rem; padding: 3px 8px; border: 1px solid var(--line); border-radius: 3px; background: var(--field); color: var(--ink); }
`;

interface LevelDialogProps {
  asked: Asked | null;
  levels: readonly LevelSummary[];
  onClose: () => void;
  onLevel: (id: string) => void;
}

/** Asks for the name of a level, or whether one is to go. */
export function LevelDialog({ asked, levels, onClose, onLevel }: LevelDialogProps) {
  const level = useLevel((s) => s.scene.level);
  const items = useLevel((s) => s.scene.things.size);
  const input = useRef<HTMLInputElement>(null);
  if (!level) return null;
  const remove = async () => {
    onClose();
    const next = levels.find((l) => l.id !== level.id);
    if (!(await deleteLevel(level.id))) return;
    if (next) onLevel(next.id);
    const back = () => void restoreLevel(level.id).then((l) => l && onLevel(l.id));
    tell(`${level.name} is deleted.`, "info", { word: "Bring it back", act: back });
  };
  const accept = async () => {
    const name = input.current?.value.trim() ?? "";
    if (!name) return;
    onClose();
    if (asked === "rename") {
      await takeStep("level_settings", { name }, []);
      await askLevels();
      return;
    }
    const made = await (asked === "new" ? makeLevel(name) : duplicateLevel(level.id, name));
    if (made) onLevel(made.id);
  };
  if (asked === "delete") {
    const only = levels.length < 2;
    return (
      <Ask open title={`Delete ${level.name}?`} alert onClose={onClose} onAccept={() => void remove()}>
        <p>
          {only
            ? "It is the only level of the project; make another one first."
            : `${items === 0 ? "Nothing stands in it." : `${items === 1 ? "The one thing" : `All ${items} things`} that ${items === 1 ? "stands" : "stand"} in it ${items === 1 ? "goes" : "go"} with it; the pieces on the shelf stay.`} It can be brought back from the level menu until Able Brick is started again.`}
        </p>
        <Foot>
          <Button autoFocus={only} onPress={onClose}>
            Keep it
          </Button>
          {!only && (
            <Button type="submit" data-main="true" autoFocus>
              Delete level
            </Button>
          )}
        </Foot>
      </Ask>
    );
  }
  const words = TITLES[asked ?? "new"];
  const taken = levels.map((l) => l.name);
  const proposed = {
    rename: level.name,
    duplicate: nextName(level.name, taken),
    new: taken.includes("Level") ? nextName("Level", taken) : "Level",
  };
  return (
    <Ask open={asked !== null} title={words.title} onClose={onClose} onAccept={() => void accept()}>
      <Name input={input} proposed={proposed[asked ?? "new"]} verb={words.verb} onClose={onClose} />
    </Ask>
  );
}

interface NameProps {
  input: RefObject<HTMLInputElement | null>;
  proposed: string;
  verb: string;
  onClose: () => void;
}

/** A name, proposed and selected, so that typing replaces it. */
function Name({ input, proposed, verb, onClose }: NameProps) {
  const [name, setName] = useState(proposed);
  // once the dialog has given it the keyboard
  useEffect(() => {
    const frame = requestAnimationFrame(() => input.current?.select());
    return () => cancelAnimationFrame(frame);
  }, [input]);
  return (
    <>
      <Field>
        Name
        <input
          ref={input}
          // biome-ignore lint/a11y/noAutofocus: the sheet asks for nothing else
          autoFocus
          maxLength={80}
          value={name}
          onFocus={(event) => event.currentTarget.select()}
          onChange={(event) => setName(event.currentTarget.value)}
        />
      </Field>
      <Foot>
        <Button onPress={onClose}>Cancel</Button>
        <Button type="submit" data-main="true" isDisabled={!name.trim()}>
          {verb}
        </Button>
      </Foot>
    </>
  );
}
