import styled from "styled-components";
import { setView, useView } from "../state/view";
import { Button, Key } from "../ui/controls";
import { NumberField } from "../ui/NumberField";
import { lookBy } from "../viewport/looking";

const Bar = styled.div`
  position: absolute; z-index: 4; top: 8px; left: 50%; transform: translateX(-50%); display: flex; align-items: center; gap: 12px;
  padding: 5px 10px; border: 1px solid var(--line); border-radius: 4px; background: var(--panel); white-space: nowrap;
  & > span { color: var(--quiet); }
  & > div { width: 7.375rem; }
  & > div > div { grid-template-columns: 2.75rem minmax(0, 1fr); }
`;

/** Walking as a player: what the keys do, and how large the player is. */
export function EyeBar() {
  const eye = useView((v) => v.mode === "eye");
  const body = useView((v) => v.body);
  if (!eye) return null;
  const set = (part: Partial<typeof body>) => {
    const next = { ...body, ...part };
    // the eyes are a hand's breadth under the top of the head
    setView({ body: { ...next, eye: next.height - 0.1 } });
  };
  const field = (label: string, name: keyof typeof body, unit: string, low: number, high: number) => (
    <div>
      <NumberField
        label={label}
        value={body[name]}
        unit={unit}
        step={unit === "m" ? 0.05 : 5}
        onCommit={(v) => typeof v === "number" && set({ [name]: Math.min(high, Math.max(low, v)) })}
      />
    </div>
  );
  return (
    <Bar role="toolbar" aria-label="Player">
      <span>
        <Key>W A S D</Key> walk, drag to look
      </span>
      {field("Height", "height", "m", 0.5, 4)}
      {field("Radius", "radius", "m", 0.1, 2)}
      {field("View", "fov", "°", 20, 120)}
      <Button onPress={() => lookBy("free")}>
        Leave <Key>Esc</Key>
      </Button>
    </Bar>
  );
}
