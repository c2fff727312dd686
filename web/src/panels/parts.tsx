import styled from "styled-components";

export const Heading = styled.header`
  display: flex; align-items: center; justify-content: space-between; gap: 8px; padding: 4px 6px 4px 12px; min-height: 2.25rem;
  color: var(--quiet);
  & h2 { font-weight: 620; font-size: 0.75rem; }
  & button { color: var(--brick); font-weight: 600; font-size: 0.75rem; }
`;

export const Card = styled.section`
  background: var(--panel); border: 1px solid var(--line); border-radius: 4px; flex: none;
  & > header { display: flex; align-items: center; gap: 8px; padding: 5px 8px 5px 10px; border-bottom: 1px solid var(--line); min-height: 2.125rem; }
  & > header h2 { font-weight: 640; flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
  & > header span { color: var(--quiet); white-space: nowrap; }
  & > div { padding: 7px 8px 8px 10px; display: grid; gap: 6px; }
`;

export const Quiet = styled.p`color: var(--quiet);`;
