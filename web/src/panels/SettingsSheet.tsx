import { useState } from "react";
import styled from "styled-components";
import { MOST_BUDGET, type Settings, setSettings, useSettings } from "../theme/settings";
import { Button, type Option, Segments } from "../ui/controls";
import { Ask, Foot } from "../ui/Dialogs";
import { Labelled } from "../ui/Labelled";
import { NumberField } from "../ui/NumberField";
import { grouped } from "../ui/words";
import { Quiet } from "./parts";

const Part = styled.div`
  display: grid; gap: 4px;
  & + & { border-top: 1px solid var(--line); padding-top: 8px; }
`;

const SIZES = options({ small: "Small", usual: "Usual", large: "Large" });

function options(words: Record<string, string>): readonly Option[] {
  return Object.entries(words).map(([value, label]) => ({ value, label }));
}

/** What a person chooses for all projects on this machine; all of it is there at once. */
export function SettingsSheet({ onClose, onKeys }: { onClose: () => void; onKeys: () => void }) {
  const settings = useSettings((s) => s);
  const [wrong, setWrong] = useState("");
  const setBudget = (typed: number | null) => {
    const budget = typed === null ? null : Math.round(typed);
    const fits = budget === null || (budget >= 1 && budget <= MOST_BUDGET);
    setWrong(fits ? "" : `A budget is 1 to ${grouped(MOST_BUDGET)} triangles; it stays as it was.`);
    if (fits) setSettings({ budget });
  };
  const choice = (label: string, name: keyof Settings, of: readonly Option[], help?: string) => (
    <Labelled title={help}>
      <span>{label}</span>
      <Segments
        label={label}
        value={String(settings[name])}
        options={of}
        onChange={(value) => setSettings({ [name]: value })}
        wide
      />
    </Labelled>
  );
  return (
    <Ask open title="Settings" onClose={onClose} onAccept={onClose}>
      <Part>
        {choice("Sheet", "sheet", options({ system: "As the system", light: "Light", night: "Night" }))}
        {choice("Text", "text", SIZES)}
        {choice("Handles", "handles", SIZES)}
        {choice("Motion", "motion", options({ system: "As the system", less: "Less" }))}
      </Part>
      <Part>
        {choice(
          "Lengths in",
          "unit",
          options({ m: "m", cm: "cm", mm: "mm" }),
          "How lengths are shown and typed; what is stored and exported stays as it is",
        )}
        <NumberField
          label="Budget"
          help="Triangles that a level may have when it is made"
          value={settings.budget}
          unit="tris"
          step={10_000}
          empty
          error={wrong}
          onCommit={setBudget}
        />
        <Quiet>
          {settings.budget === null ? "Of new levels: 180 000 triangles." : "Of levels that are made from now on."}
        </Quiet>
      </Part>
      <Part>
        {choice("Turn with", "turnButton", options({ right: "Right button", middle: "Middle button" }))}
        {choice("Drag moves", "follows", options({ level: "The level", eye: "The eye" }))}
      </Part>
      <Quiet>Kept by this browser, for all projects.</Quiet>
      <Foot>
        <Button onPress={onKeys}>Keys …</Button>
        <Button type="submit" data-main="true">
          Done
        </Button>
      </Foot>
    </Ask>
  );
}
