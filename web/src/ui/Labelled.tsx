import styled from "styled-components";

/** A label beside its control. */
export const Labelled = styled.div`
  display: grid; grid-template-columns: 5.75rem minmax(0, 1fr); gap: 8px; align-items: center; min-height: 1.75rem;
  & > span { color: var(--quiet); overflow: hidden; text-overflow: ellipsis; }
`;
