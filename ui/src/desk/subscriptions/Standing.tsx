// How a subscription stands.
import type { Schemas } from "../../api/client";
import { day } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { Table } from "../../kit/Sheet";
import type { View } from "./subscription";
import { STATES } from "./subscriptionWords";

/** How it stands, in sentences. */
export function Standing({ found }: { found: View }) {
  const many = found.quantity > 1 ? `${found.quantity} × ` : "";
  return (
    <>
      {found.state === "failing" ? (
        <Notice kind="attention" title="The last charge is not paid">
          It fell due on {day(found.failing_since ?? found.paid_until)} and was refused{" "}
          {found.tries === 1 ? "once" : `${found.tries} times`}.{" "}
          {found.charging ? "It is being tried again at this moment." : "It is tried again by itself."}
        </Notice>
      ) : null}
      <Table>
        <tbody>
          <tr>
            <th scope="row">{many + found.what}</th>
            <td>{found.plan}</td>
            <td className="amount">
              {found.currency} {found.amount} every {found.every}
            </td>
          </tr>
          <tr>
            <th scope="row">It is</th>
            <td colSpan={2}>{standing(found)}</td>
          </tr>
          {found.following ? (
            <tr>
              <th scope="row">Then</th>
              <td colSpan={2}>
                {found.following}, from {day(found.paid_until)} on
              </td>
            </tr>
          ) : null}
          {found.balance ? (
            <tr>
              <th scope="row">Left with the shop</th>
              <td className="amount" colSpan={2}>
                {found.currency} {found.balance}
              </td>
            </tr>
          ) : null}
          <tr>
            <th scope="row">Charged to</th>
            <td colSpan={2}>{card(found)}</td>
          </tr>
        </tbody>
      </Table>
    </>
  );
}

function standing(found: View): string {
  const is = STATES[found.state];
  if (found.state === "ended" && found.ended_on) return `${is} since ${day(found.ended_on)}`;
  if (found.state === "completed" && found.ended_on) return `${is} since ${day(found.ended_on)}`;
  if (found.state === "paused")
    return `${is}${found.resumes_on ? ` until ${day(found.resumes_on)}` : ", until somebody goes on with it"}`;
  if (found.ends_on) return `${is}, and ends on ${day(found.ends_on)}`;
  if (found.pausing)
    return `${is}, and pauses from ${day(found.paid_until)}${found.resumes_on ? ` until ${day(found.resumes_on)}` : ""}`;
  if (found.charging) return `${is}; a charge is under way`;
  return found.next_on ? `${is}; the next charge is on ${day(found.next_on)}` : is;
}

function card(found: View): string {
  if (!found.card_ending) return "nothing yet: there is no card";
  const expires = found.card_expires ? `, expires ${found.card_expires}` : "";
  return `the card or account that ends in ${found.card_ending}${expires}`;
}

export type Past = { at: string } & (
  { charge: Schemas["SubscriptionCharge"] } | { event: Schemas["SubscriptionEvent"] }
);
