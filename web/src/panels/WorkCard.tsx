import { X } from "lucide-react";
import { ProgressBar } from "react-aria-components";
import styled from "styled-components";
import type { Job } from "../api/types";
import { stopWork, useWork } from "../state/work";
import { IconButton } from "../ui/controls";
import { Quiet } from "./parts";

const Bar = styled(ProgressBar)`
  display: block; height: 6px; border-radius: 3px; background: var(--line); overflow: hidden;
  & i { display: block; height: 100%; background: var(--petrol); transition: width 120ms; }
`;
const Row = styled.section`
  flex: none; display: grid; gap: 4px; padding: 5px 8px 5px 12px; background: var(--panel); border-top: 1px solid var(--line);
`;
const Line = styled.div`
  display: grid; grid-template-columns: minmax(0, 1fr) 4rem auto; align-items: center; gap: 8px;
  & > p { overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  & > p span { color: var(--quiet); }
  & button { padding: 2px 4px; min-height: 1.5rem; }
`;

/** What is being worked on beside what the artist does: a line for each. */
export function WorkCard() {
  const jobs = [...useWork().values()];
  if (jobs.length === 0) return null;
  return (
    <Row aria-label="At work">
      {(jobs.length > 3 ? jobs.slice(0, 2) : jobs).map((job) => (
        <One key={job.id} job={job} />
      ))}
      {jobs.length > 3 && <Quiet>{jobs.length - 2} more waiting</Quiet>}
    </Row>
  );
}

function One({ job }: { job: Job }) {
  return (
    <Line>
      <p title={`${job.title}: ${job.words}`}>
        {job.title} <span>{job.words}</span>
      </p>
      <Bar aria-label={job.title} value={100 * job.share}>
        <i style={{ width: `${100 * job.share}%` }} />
      </Bar>
      <IconButton label={`Cancel ${job.title}`} onPress={() => void stopWork(job.id)}>
        <X size={15} aria-hidden />
      </IconButton>
    </Line>
  );
}
