// What tape looks like.
import { styled } from "styled-components";

export const Strip = styled.section`
  position: relative;
  flex: 0 0 286px;
  width: 286px;
  background: var(--tape);
  font: 13.5px/1.5 var(--mono);
  font-variant-numeric: tabular-nums;
  padding: 22px 0 26px;
  min-height: calc(100vh - 104px);
  filter: drop-shadow(0 0 0.6px var(--edge));
  /* the edge that was torn off above */
  clip-path: polygon(${torn()});
  .made-out {
    padding: 0 16px 12px;
    border-bottom: 1px dashed var(--hairline);
    line-height: 1.62;
  }
  .made-out select,
  .made-out input {
    line-height: 1.25;
  }
  .made-out > a {
    display: inline-block;
    padding: 3px 0 2px;
  }
  .stamp {
    float: right;
    margin: 2px -4px 0 8px;
  }
  .about {
    padding: 10px 16px 2px;
    color: var(--pencil);
  }
  ol {
    list-style: none;
    margin: 0;
    padding: 8px 0;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 0 10px;
    width: 100%;
    padding: 2px 16px;
    text-align: left;
    border: 0;
    background: none;
    font: inherit;
    color: inherit;
  }
  button.row {
    cursor: pointer;
  }
  button.row:hover .label {
    text-decoration: underline dotted;
    text-underline-offset: 4px;
  }
  button.row:focus-visible {
    outline-offset: -2px;
  }
  .label {
    overflow-wrap: anywhere;
  }
  .amounts {
    text-align: right;
    white-space: nowrap;
  }
  s {
    color: var(--madder);
    margin-right: 7px;
  }
  .changed {
    background: var(--marked);
    padding: 2px 3px;
    margin: -2px -3px;
  }
  .discount .row {
    color: var(--madder);
  }
  li:not(.later) + .later {
    margin-top: 8px;
    padding-top: 8px;
    border-top: 1px dashed var(--hairline);
  }
  .due + .later {
    margin-top: 0;
    padding-top: 0;
    border-top: 0;
  }
  li:not(.later) + .later::before {
    content: "later";
    display: block;
    padding: 0 16px 2px;
    color: var(--pencil);
  }
  .tax .row,
  .fee .row {
    color: var(--pencil);
  }
  .due {
    margin: 8px 0;
    padding: 9px 0;
    border-block: 1px dashed var(--hairline);
    font-weight: 700;
    font-size: 15px;
  }
  .keep .row {
    font-weight: 600;
  }
  .why {
    margin: 3px 16px 7px;
    padding: 2px 0 2px 10px;
    border-left: 2px solid var(--hairline);
    font: 13.5px/1.45 var(--text);
    color: var(--pencil);
  }
  .said {
    padding: 10px 16px 0;
    font: 13.5px/1.45 var(--text);
    color: var(--pencil);
  }
  .said.wrong {
    color: var(--ink);
    border-left: 3px solid var(--madder);
    padding: 2px 12px;
    margin: 14px 16px 0 13px;
  }
  .feet {
    display: flex;
    flex-wrap: wrap;
    gap: 0 4px;
    padding: 10px 8px 0;
  }
  .feet button {
    font-family: var(--text);
    font-size: 13.5px;
  }
`;

function torn(): string {
  const teeth = 26;
  const top = Array.from(
    { length: teeth * 2 + 1 },
    (_, i) => `${((i * 100) / (teeth * 2)).toFixed(2)}% ${i % 2 ? 0 : 6}px`,
  );
  return [...top, "100% 100%", "0 100%"].join(", ");
}

export const Roll = styled.div`
  > header {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
    padding: 0 0 4px 2px;
    min-height: 34px;
  }
  h2 {
    font: 650 15px/1.2 var(--text);
  }
  kbd {
    font: 12px/1 var(--mono);
    color: var(--pencil);
  }
  .strips {
    display: flex;
    gap: 12px;
    overflow-x: auto;
    padding-bottom: 30px;
  }
`;
