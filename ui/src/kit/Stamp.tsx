import { styled } from "styled-components";

/** The stamp TEST: on whatever belongs to the test book. Hatched and framed, so that it needs no colour. */
export const Stamp = styled.span.attrs({ children: "TEST" })`
  display: inline-block;
  padding: 1px 7px;
  border: 2px solid var(--ink);
  transform: rotate(-3deg);
  font: 700 11px/1.3 var(--mono);
  letter-spacing: 0.12em;
  color: var(--ink);
  background: repeating-linear-gradient(-45deg, transparent 0 4px, var(--hatch) 4px 6px);
`;
