import { useEffect, useState } from "react";
import styled from "styled-components";
import type { Params } from "../api/types";
import { planWork, stopWork } from "../state/work";
import { Quiet } from "./parts";

const Lines = styled.ul`
  display: grid; gap: 2px; margin: 0; padding: 0; list-style: none; max-height: 220px; overflow: auto; font-size: 0.75rem; line-height: 1.0625rem;
  color: var(--quiet); font-variant-numeric: tabular-nums;
  & li:first-child { color: inherit; font-weight: 600; }
`;
/** Settings rest for so long before it is planned with them, ms. */
const REST = 250;

/** What a step that takes long would come to with the settings of its card, before it is taken. */
export function Plan({ tool, params }: { tool: string; params: Params }) {
  const [lines, setLines] = useState<readonly string[] | null>(null);
  const asked = JSON.stringify({ ...params, only_plan: true });
  useEffect(() => {
    let job: string | null = null;
    let wanted = true;
    setLines(null);
    const wait = window.setTimeout(async () => {
      const found = await planWork(tool, JSON.parse(asked) as Params, (id) => {
        job = id;
        if (!wanted) void stopWork(id);
      });
      if (wanted && found) setLines(found);
    }, REST);
    return () => {
      wanted = false;
      window.clearTimeout(wait);
      if (job) void stopWork(job);
    };
  }, [tool, asked]);
  if (!lines) return <Quiet>Planning …</Quiet>;
  return (
    <Lines aria-label="What it comes to">
      {lines.map((line) => (
        <li key={line}>{line}</li>
      ))}
    </Lines>
  );
}
