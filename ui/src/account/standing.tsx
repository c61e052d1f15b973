// How a subscription stands, in words.
import { styled } from "styled-components";
import type { Schemas } from "../api/client";
import { money } from "../kit/format/money";

export type Sub = Schemas["MySubscription"];

export type Proposal = Schemas["ProposalView"];

export const Card = styled.article`
  border: 1px solid var(--rule);
  border-top: 4px solid var(--brand);
  background: #fff;
  padding: 18px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  h2 {
    font-size: 20px;
  }
  &.over {
    border-top-color: var(--rule);
  }
  .actions {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 18px;
  }
  > section {
    display: flex;
    flex-direction: column;
    gap: 10px;
  }
  details {
    border-top: 1px solid var(--rule);
    padding-top: 8px;
  }
  summary {
    cursor: pointer;
    min-height: 32px;
  }
  ul {
    list-style: none;
    margin: 0;
    padding: 0;
  }
  li {
    display: flex;
    justify-content: space-between;
    gap: 12px;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
    font-variant-numeric: tabular-nums;
  }
`;

export const Rows = styled.dl`
  margin: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px 16px;
  font: 15px/1.5 var(--mono);
  dt,
  dd {
    margin: 0;
  }
  dd {
    text-align: right;
  }
  .sum {
    font-weight: 700;
    border-top: 1px dashed var(--rule);
    padding-top: 6px;
  }
`;

export const day = (on: string) =>
  new Date(`${on.slice(0, 10)}T12:00:00Z`).toLocaleDateString("en-GB", {
    dateStyle: "long",
    timeZone: "UTC",
  });

export function standing(sub: Sub): string {
  if (sub.state === "completed") return "It is paid in full.";
  if (sub.state === "ended") return `It has ended${sub.ended_on ? `, on ${day(sub.ended_on)}` : ""}.`;
  if (sub.state === "paused")
    return `It is paused${sub.resumes_on ? ` until ${day(sub.resumes_on)}` : ""}. Nothing is charged.`;
  if (sub.ends_on) return `It is cancelled, and goes on until ${day(sub.ends_on)}. Nothing more is charged.`;
  if (sub.pausing)
    return `It pauses from ${day(sub.paid_until)}${sub.resumes_on ? ` until ${day(sub.resumes_on)}` : ""}.`;
  const next = sub.coming[0];
  const card = sub.card_ending ? ` from the card or account that ends in ${sub.card_ending}` : "";
  if (!next) return "";
  const words = `${money(sub.currency, next.total)} on ${day(next.on)}${card}`;
  return sub.state === "trial" ? `Free until ${day(next.on)}. Then: ${words}.` : `Next: ${words}.`;
}
