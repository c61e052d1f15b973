import { NavLink } from "react-router";
import { styled } from "styled-components";

/** Room for a sheet: where it is narrow, for the window is or tapes lie beside, the list lies above the detail. */
export const SheetRoom = styled.div`
  container-type: inline-size;
  min-width: 0;
`;

/** The working surface in the middle: one screen a stage. */
export const Sheet = styled.main`
  background: var(--sheet);
  border: 1px solid var(--hairline);
  border-radius: var(--corner) var(--corner) 0 0;
  min-width: 0;
  display: flex;
  min-height: calc(100vh - 60px);
  &:focus {
    outline: none;
  }
  @container (max-width: 680px) {
    flex-direction: column;
    min-height: 0;
  }
`;

/** What is on the sheet, where it is not a list beside a detail. */
export const Body = styled.div`
  flex: 1;
  min-width: 0;
  padding: 22px 26px 48px;
  display: flex;
  flex-direction: column;
  gap: 20px;
  max-width: 880px;
  > header {
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  @media (max-width: 600px) {
    padding: 18px 16px 40px;
  }
`;

/** The list of a stage, at the left of the sheet. */
export const Side = styled.nav`
  flex: 0 0 222px;
  border-right: 1px solid var(--hairline);
  padding: 14px 0 24px;
  display: flex;
  flex-direction: column;
  > .top.more {
    padding-top: 10px;
  }
  > .top {
    padding: 0 12px 10px;
    display: flex;
    flex-direction: column;
    gap: 8px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
    overflow-y: auto;
  }
  @container (max-width: 680px) {
    flex: none;
    border-right: 0;
    border-bottom: 1px solid var(--hairline);
    ul {
      max-height: 230px;
    }
  }
`;

/** A line of that list: a name, and a few words beneath it. */
export const SideLink = styled(NavLink)`
  display: block;
  padding: 7px 16px 9px 13px;
  border-left: 3px solid transparent;
  text-decoration: none;
  color: var(--ink);
  strong {
    display: block;
    font-weight: 600;
    overflow-wrap: anywhere;
  }
  span {
    font-size: 13.5px;
    color: var(--pencil);
  }
  &:hover {
    background: var(--wash);
  }
  &.active {
    background: var(--wash);
    border-left-color: var(--verdigris);
  }
  &:focus-visible {
    outline-offset: -2px;
  }
`;

/** Fields side by side where there is room. */
export const Row = styled.div`
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(190px, 1fr));
  gap: 14px 18px;
  align-items: start;
`;

/** A part of the sheet under a heading, with a rule above it. */
export const Section = styled.section`
  border-top: 1px solid var(--hairline);
  padding-top: 14px;
  display: flex;
  flex-direction: column;
  gap: 12px;
`;

/** A small table: names at the left, values at the right. */
export const Table = styled.table`
  border-collapse: collapse;
  width: 100%;
  font-size: 14.5px;
  th,
  td {
    text-align: left;
    padding: 7px 12px 7px 0;
    border-bottom: 1px solid var(--hairline);
    vertical-align: baseline;
    font-weight: 400;
  }
  tbody tr:last-child > * {
    border-bottom: 0;
  }
  thead th {
    color: var(--pencil);
    font-size: 13px;
  }
  th.amount {
    text-align: right;
    padding-right: 0;
  }
  td.amount {
    text-align: right;
    font-family: var(--mono);
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
    padding-right: 0;
  }
  td.pencil {
    color: var(--pencil);
  }
  @media (max-width: 480px) {
    th,
    td {
      overflow-wrap: anywhere;
      padding-right: 8px;
    }
  }
`;
