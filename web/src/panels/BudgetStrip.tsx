import { TriangleAlert } from "lucide-react";
import { Dialog, DialogTrigger } from "react-aria-components";
import styled from "styled-components";
import { isShown, shown, showsPiece, useLevel } from "../state/level";
import { hover, select } from "../state/selection";
import { takeStep } from "../state/steps";
import { Button, Floating } from "../ui/controls";
import { grouped } from "../ui/words";

const Strip = styled.footer`
  display: flex; align-items: center; gap: 18px; padding: 0 14px; border-top: 1px solid var(--line); background: var(--panel);
  white-space: nowrap; min-width: 0;
  & > strong { font-weight: 640; }
  & > span { color: var(--quiet); }
  & > span b { color: var(--ink); font-weight: 640; }
  @media (max-width: 1100px) { & > span:nth-of-type(n + 3) { display: none; } }
`;
const Bar = styled.div`
  display: flex; flex: 1; min-width: 80px; height: 14px; background: var(--line); border-radius: 2px; overflow: hidden; gap: 1px;
  & button { all: unset; cursor: pointer; min-width: 2px; height: 100%; }
  & button:hover { filter: brightness(0.9); }
  & button:focus-visible { outline: 2px solid var(--petrol); outline-offset: -2px; }
`;
const Findings = styled.ul`
  margin: 0; padding: 6px; list-style: none; max-width: 420px; white-space: normal; display: grid; gap: 2px;
  & button { all: unset; display: block; padding: 5px 8px; border-radius: 3px; cursor: pointer; }
  & button:hover { background: var(--petrol-wash); }
  & button:focus-visible { outline: 2px solid var(--petrol); }
`;
const Mend = styled(Button)`&&& { display: inline-flex; margin: 0 8px 4px; color: var(--petrol); font-weight: 600; }`;
const Warn = styled(Button)`color: var(--ochre); font-weight: 600;`;

const css = (colour: readonly number[] | undefined): string => {
  const to = (v: number) => Math.round(255 * (v <= 0.0031308 ? v * 12.92 : 1.055 * v ** (1 / 2.4) - 0.055));
  const [r = 0.6, g = 0.55, b = 0.45] = colour ?? [];
  return `rgb(${to(r)} ${to(g)} ${to(b)})`;
};

/** Triangles against the level's budget, cut by piece; and what a frame costs. */
export function BudgetStrip() {
  const scene = useLevel(shown);
  const { summary, level, pieces } = scene;
  if (!summary || !level) return <Strip aria-label="Budget" />;
  const budget = level.budget ?? 1;
  const whole = Math.max(budget, summary.triangles);
  const placements = (piece: string) =>
    [...scene.things.values()].filter((t) => isShown(t) && showsPiece(t, piece)).map((t) => t.id);
  const over = summary.triangles > budget;
  return (
    <Strip aria-label="Budget">
      <strong>Budget</strong>
      <Bar>
        {summary.uses.map((use) => {
          const piece = pieces.get(use.piece);
          const label = `${piece?.name}: ${grouped(use.triangles)} tris in ${use.items} ${use.items === 1 ? "item" : "items"}`;
          const style = { width: `${(100 * use.triangles) / whole}%`, background: css(piece?.materials?.[0]?.colour) };
          return (
            <button
              key={use.piece}
              type="button"
              style={style}
              aria-label={label}
              title={`${label} · click selects them`}
              onPointerEnter={() => hover(use.piece)}
              onPointerLeave={() => hover(null)}
              onClick={() => select(placements(use.piece))}
            />
          );
        })}
      </Bar>
      <span style={over ? { color: "var(--error)" } : undefined}>
        <b>{grouped(summary.triangles)}</b> of {grouped(budget)} tris
      </span>
      <span>{grouped(summary.hardware_vertices)} hardware vertices</span>
      <span>{summary.draw_calls} draw calls</span>
      {summary.findings.length === 0 ? (
        <span>No findings</span>
      ) : (
        <DialogTrigger>
          <Warn data-plain="true">
            <TriangleAlert size={14} aria-hidden /> {summary.findings.length}{" "}
            {summary.findings.length === 1 ? "finding" : "findings"}
          </Warn>
          <Floating placement="top end">
            <Dialog aria-label="Findings">
              <Findings>
                {summary.findings.map((f, k) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a course may have several of a kind
                  <li key={f.code + f.thing + k}>
                    <button type="button" onClick={() => scene.things.has(f.thing) && select([f.thing])}>
                      {f.text}
                    </button>
                    {f.remedy && (
                      <Mend
                        onPress={() => f.remedy && void takeStep(f.remedy.tool, f.remedy.params, f.remedy.selection)}
                      >
                        {f.remedy.title}
                      </Mend>
                    )}
                  </li>
                ))}
              </Findings>
            </Dialog>
          </Floating>
        </DialogTrigger>
      )}
    </Strip>
  );
}
