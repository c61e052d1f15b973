import { styled } from "styled-components";
import { Table } from "../../kit/Sheet";

export const Changed = styled(Table)`
  .what {
    color: var(--pencil);
    width: 190px;
  }
  s {
    color: var(--madder);
    text-decoration-thickness: 1px;
  }
  td {
    overflow-wrap: anywhere;
  }
`;
