import { ProgressBar } from "react-aria-components";
import styled from "styled-components";
import type { Job } from "../api/types";
import { stopWork, useWork } from "../state/work";
import { Button } from "../ui/controls";
import { Card, Quiet } from "./parts";

const Bar = styled(ProgressBar)`
  display: block; height: 6px; border-radius: 3px; background: var(--line); overflow: hidden;
  & i { display: block; height: 100%; background: var(--petrol); transition: width 120ms; }
  @media (prefers-reduced-motion: reduce) { & i { transition: none; } }
`;
const Foot = styled.div`
  display: flex; align-items: center; gap: 8px;
  & p { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
`;
const Spaced = styled(Card)`
  margin-bottom: 10px;
  & > div { grid-template-columns: minmax(0, 1fr); }
`;

/** What is being worked on beside what the artist does. */
export function WorkCard() {
  const jobs = [...useWork().values()];
  if (jobs.length === 0) return null;
  return (
    <Spaced aria-label="At work">
      <header>
        <h2>At work</h2>
        <span>{jobs.length > 1 ? `${jobs.length - 1} more waiting` : ""}</span>
      </header>
      <div>
        {jobs.map((job) => (
          <One key={job.id} job={job} />
        ))}
      </div>
    </Spaced>
  );
}

function One({ job }: { job: Job }) {
  return (
    <>
      <div>{job.title}</div>
      <Bar aria-label={job.title} value={100 * job.share}>
        <i style={{ width: `${100 * job.share}%` }} />
      </Bar>
      <Foot>
        <Quiet>{job.words}</Quiet>
        <Button aria-label={`Cancel ${job.title}`} onPress={() => void stopWork(job.id)}>
          Cancel
        </Button>
      </Foot>
    </>
  );
}
