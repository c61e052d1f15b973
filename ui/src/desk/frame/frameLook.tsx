// What the frame looks like: the bar on top, three columns below, fewer on narrow screens.
import { styled } from "styled-components";

export const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 6px 14px;
  flex-wrap: wrap;
  min-height: 46px;
  padding: 5px 16px;
  border-bottom: 1px solid var(--hairline);
  background: var(--paper);
  @media (min-width: 761px) {
    position: sticky;
    top: 0;
    z-index: 12;
  }
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font: 650 18px/1 var(--heading);
    width: 174px;
    color: var(--ink);
    text-decoration: none;
  }
  .site {
    flex: 1;
    min-width: 150px;
    display: flex;
    align-items: center;
    margin-left: -8px;
  }
  .site button {
    color: var(--ink);
    font-weight: 650;
    font-size: 15px;
  }
  .site {
    flex-wrap: wrap;
  }
  .site span {
    color: var(--pencil);
    overflow-wrap: anywhere;
  }
  .draft {
    font-size: 14px;
    color: var(--pencil);
  }
  .draft strong {
    color: var(--ink);
  }
  .lost {
    font-size: 14px;
    padding: 3px 10px;
    border-left: 3px solid var(--saffron);
    background: var(--saffron-wash);
  }
  .selling {
    order: 1;
    flex-basis: 100%;
    display: flex;
    flex-wrap: wrap;
    gap: 6px 14px;
  }
  .steps {
    display: flex;
  }
  .steps svg {
    display: block;
  }
  @media (max-width: 760px) {
    .brand {
      width: auto;
    }
  }
`;

export const NARROW = "(max-width: 1120px)";

export const Columns = styled.div`
  display: grid;
  grid-template-columns: 188px minmax(0, 1fr) auto;
  gap: 0 16px;
  padding: 14px 16px 0 8px;
  align-items: start;
  > aside {
    position: sticky;
    top: 54px;
    max-height: calc(100vh - 54px);
    max-width: min(50vw, 900px);
    overflow-y: auto;
  }
  .opener {
    display: none;
  }
  @media ${NARROW} {
    grid-template-columns: 188px minmax(0, 1fr);
    padding-bottom: 64px;
    > aside {
      position: fixed;
      z-index: 20;
      top: 0;
      right: 0;
      bottom: 0;
      max-height: none;
      max-width: calc(100vw - 20px);
      padding: 8px 12px;
      background: var(--paper);
      border-left: 1px solid var(--edge);
      box-shadow: 0 0 30px var(--shade);
    }
    > aside:not(.open) {
      display: none;
    }
    .opener {
      display: block;
      position: fixed;
      right: 14px;
      bottom: 14px;
      z-index: 15;
    }
    .opener button {
      font-family: var(--mono);
      background: var(--tape);
      box-shadow: 0 2px 12px var(--shade);
    }
  }
  @media (max-width: 760px) {
    grid-template-columns: minmax(0, 1fr);
    padding: 8px 8px 64px;
    gap: 8px;
  }
`;

/** Keeps the place of the jump box until it is there. */
export const JumpComing = styled.span`
  width: 190px;
  height: 32px;
  background: var(--sheet);
  border: 1px solid var(--edge);
  border-radius: var(--corner);
  @media (max-width: 760px) {
    width: 100%;
    order: 9;
  }
`;
