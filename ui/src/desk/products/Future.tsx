import { styled } from "styled-components";

export const Future = styled.div`
  padding: 6px 0 6px 12px;
  border-left: 1px dashed var(--edge);
  font: 13.5px/1.6 var(--mono);
  font-variant-numeric: tabular-nums;
  table {
    border-collapse: collapse;
  }
  td {
    padding: 0 0 0 14px;
    text-align: right;
  }
  th {
    text-align: left;
    font-weight: 400;
    color: var(--pencil);
  }
  caption {
    text-align: left;
    color: var(--pencil);
    font: 12.5px/1.4 var(--text);
  }
  p {
    color: var(--pencil);
  }
`;
