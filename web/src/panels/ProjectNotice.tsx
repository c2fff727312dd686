import { Download, TriangleAlert } from "lucide-react";
import { useEffect } from "react";
import styled from "styled-components";
import { within } from "../api/here";
import { useProject } from "../api/queries";
import { tell } from "../state/messages";

const Strip = styled.div`
  position: absolute; top: 10px; left: 12px; right: 12px; display: flex; gap: 10px; align-items: center; z-index: 5;
  padding: 8px 12px; border-radius: 4px; border: 1px solid var(--ochre); background: var(--panel); box-shadow: var(--float);
  & svg { flex: none; color: var(--ochre); }
  & p { margin: 0; flex: 1; }
  & a { display: inline-flex; gap: 6px; align-items: center; white-space: nowrap; color: var(--petrol); font-weight: 600; }
`;

/** Tells why a project can only be looked at, and gives a copy that can be worked on. */
export function ProjectNotice() {
  const data = useProject();
  useEffect(() => {
    for (const note of data?.notes ?? []) tell(note);
  }, [data]);
  if (!data?.read_only) return null;
  return (
    <Strip role="alert">
      <TriangleAlert size={16} aria-hidden />
      <p>
        <b>Read only.</b> {data.read_only} Save a copy, and open that to go on working.
      </p>
      <a href={within("copy")} download>
        <Download size={16} aria-hidden /> Save a copy
      </a>
    </Strip>
  );
}
