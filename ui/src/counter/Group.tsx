// Things to choose one of, each with a line of words.
import { css, styled } from "styled-components";

/** A thing by its name, what it costs in a few words, and what else is said of it. */
export const named = css`
  .name {
    font-weight: 600;
  }
  .words {
    font-family: var(--mono);
    font-size: 14px;
    font-variant-numeric: tabular-nums;
  }
  .soft {
    color: var(--soft);
    font-size: 15px;
  }
`;

export const Group = styled.fieldset`
  margin: 0;
  padding: 0;
  border: 0;
  min-width: 0;
  legend {
    padding: 0;
    margin-bottom: 6px;
    font-size: 15px;
    font-weight: 600;
  }
  .problem {
    font-size: 14px;
    color: var(--wrong);
  }
`;

export const WayList = styled.div`
  border-top: 1px solid var(--rule);
  label {
    display: grid;
    grid-template-columns: auto minmax(0, 1fr);
    column-gap: 12px;
    padding: 10px 4px;
    border-bottom: 1px solid var(--rule);
    cursor: pointer;
  }
  .chosen:has(iframe) {
    border-bottom: 1px solid var(--rule);
    padding-bottom: 4px;
  }
  .chosen:has(iframe) > label {
    border-bottom: 0;
  }
  input {
    width: 20px;
    height: 20px;
    margin: 3px 0 0;
    accent-color: var(--brand);
  }
  label:has(:checked) .name {
    text-decoration: underline;
    text-decoration-color: var(--brand);
    text-decoration-thickness: 3px;
    text-underline-offset: 4px;
  }
  label:has(:disabled) {
    color: var(--soft);
    cursor: default;
  }
  ${named}
`;
