// One subscription as a line in time: what was charged, what happened, and what is to come; and acting for its customer.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { styled } from "styled-components";

import { api, data, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Confirm } from "../../kit/Confirm";
import { Empty } from "../../kit/Empty";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Section, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { day } from "../../kit/format/when";
import { Waiting } from "../room/Waiting";
import { To } from "../room/places";
import { refresh, subscription, type Mode } from "../queries";
import { useRole } from "../room/role";
import { REASONS, STATES, happened } from "./subscriptionWords";

type View = Schemas["SubscriptionView"];
type Proposal = Schemas["ProposalView"];
interface At {
  code: string;
  mode: Mode;
  found: View;
}

const Line = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  li {
    display: grid;
    grid-template-columns: 104px 15px minmax(0, 1fr) auto;
    gap: 0 12px;
    align-items: stretch;
  }
  li > * {
    padding: 6px 0;
  }
  time {
    font: 13px/1.7 var(--mono);
    color: var(--pencil);
  }
  .mark {
    position: relative;
    padding: 0;
  }
  .mark::before {
    content: "";
    position: absolute;
    left: 6px;
    top: 0;
    bottom: 0;
    width: 3px;
    background: var(--verdigris);
  }
  .mark::after {
    content: "";
    position: absolute;
    left: 1px;
    top: 11px;
    width: 9px;
    height: 9px;
    border: 2px solid var(--verdigris);
    background: var(--verdigris);
  }
  li.said .mark::after {
    display: none;
  }
  li.failed .mark::after {
    border-color: var(--madder);
    background: var(--sheet);
  }
  li.coming .mark::before {
    background: repeating-linear-gradient(to bottom, var(--edge) 0 4px, transparent 4px 8px);
  }
  li.coming .mark::after {
    background: var(--sheet);
    border-color: var(--edge);
  }
  li.coming > :not(.mark) {
    color: var(--pencil);
  }
  li.today .mark::after {
    display: none;
  }
  li.today > * {
    font-weight: 600;
  }
  li.first .mark::before {
    top: 11px;
  }
  .amount {
    font-family: var(--mono);
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
    text-align: right;
  }
  @media (max-width: 600px) {
    li {
      grid-template-columns: 88px 15px minmax(0, 1fr);
    }
    .amount {
      grid-column: 3;
      text-align: left;
      padding-top: 0;
    }
  }
`;

const Actions = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
`;

/** One subscription of a book. */
export function SubscriptionDetail({ code, mode, of }: { code: string; mode: Mode; of: string }) {
  const asked = useQuery(subscription(code, mode, of));
  if (asked.isError) {
    return <Empty title="No such subscription">There is no subscription {of} in this book.</Empty>;
  }
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data;
  return (
    <Body>
      <header>
        <h1>
          {found.name} {mode === "test" ? <Stamp /> : null}
        </h1>
        <p className="quiet">
          Subscription <span className="mono">{found.code}</span>, {found.email}.{" "}
          {found.order ? (
            <>
              Begun with order <To to={`/s/${code}/orders/${mode}/${found.order}`}>{found.order}</To>.
            </>
          ) : (
            "Moved over from elsewhere."
          )}
        </p>
      </header>
      <Standing found={found} />
      <Act code={code} mode={mode} found={found} />
      <Section aria-labelledby="line">
        <h2 id="line">Its line in time</h2>
        <InTime code={code} mode={mode} found={found} />
      </Section>
      <Promised code={code} mode={mode} found={found} />
    </Body>
  );
}

/** How it stands, in sentences. */
function Standing({ found }: { found: View }) {
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
  return `what ends in ${found.card_ending}${expires}`;
}

type Past = { at: string } & (
  { charge: Schemas["SubscriptionCharge"] } | { event: Schemas["SubscriptionEvent"] }
);

/** Events that a charge on the line says already. */
const SAID_BY_CHARGES = new Set(["charged", "restarted", "begun"]);
const KINDS: Record<Schemas["SubscriptionCharge"]["kind"], string> = {
  sale: "The order",
  renewal: "Renewal",
  change: "Change of plan",
  pay_off: "The rest at once",
  restart: "Started again",
};

function InTime({ code, mode, found }: At) {
  const past: Past[] = [
    ...found.charges.map((charge) => ({ at: charge.fell_due, charge })),
    ...found.events
      .filter(({ kind }) => !SAID_BY_CHARGES.has(kind))
      .map((event) => ({ at: event.at, event })),
  ].sort((a, b) => Date.parse(a.at) - Date.parse(b.at));
  return (
    <Line>
      {past.map((one, i) =>
        "charge" in one ? (
          <Charged
            key={i}
            code={code}
            mode={mode}
            of={one.charge}
            currency={found.currency}
            first={i === 0}
          />
        ) : (
          <li key={i} className={i === 0 ? "said first" : "said"}>
            <time dateTime={one.at}>{day(one.event.on)}</time>
            <span className="mark" />
            <span>{happened(one.event)}</span>
          </li>
        ),
      )}
      <li className="today coming">
        <time dateTime={found.today}>{day(found.today)}</time>
        <span className="mark" />
        <span>
          {found.coming.length ? (mode === "test" ? "Today, in the test book" : "Today") : "Nothing to come"}
        </span>
      </li>
      {found.coming.map((one) => (
        <li key={one.on} className="coming">
          <time dateTime={one.on}>{day(one.on)}</time>
          <span className="mark" />
          <span>{one.from_balance ? `${one.from_balance} of it is paid with what is left` : "To come"}</span>
          <span className="amount">
            {found.currency} {one.total}
          </span>
        </li>
      ))}
    </Line>
  );
}

function Charged({
  code,
  mode,
  of,
  currency,
  first,
}: {
  code: string;
  mode: Mode;
  of: Schemas["SubscriptionCharge"];
  currency: string;
  first: boolean;
}) {
  const refused = of.attempts.filter(({ state }) => state === "refused");
  const last = refused.at(-1);
  const why = last ? (REASONS[last.reason ?? "other"] ?? "refused") : "";
  const tries = refused.length === 1 ? "once" : `${refused.length} times`;
  return (
    <li className={`${of.state === "paid" ? "" : "failed"} ${first ? "first" : ""}`}>
      <time dateTime={of.fell_due}>{day(of.on)}</time>
      <span className="mark" />
      <span>
        {KINDS[of.kind]} <To to={`/s/${code}/orders/${mode}/${of.code}`}>{of.code}</To>
        {of.state === "paid"
          ? refused.length && of.paid_on
            ? `, refused ${tries}, paid on ${day(of.paid_on)}`
            : ", paid"
          : of.state === "waiting"
            ? ", waits for its money"
            : refused.length
              ? `, refused ${tries}: ${why}`
              : ", not paid"}
        {of.from_balance ? `; ${of.from_balance} of it with what was left` : ""}
      </span>
      <span className="amount">
        {currency} {of.amount}
      </span>
    </li>
  );
}

const KEPT: Record<Schemas["PromisedCharge"]["kept"], string> = {
  yes: "as promised",
  no: "otherwise",
  to_come: "to come",
  replaced: "replaced by a change",
};

/** What came true of what the buyer was shown before they paid. */
function Promised({ code, mode, found }: At) {
  if (!found.promised.length) return null;
  const kept = found.promised.filter((one) => one.kept === "yes").length;
  const not = found.promised.filter((one) => one.kept === "no").length;
  const coming = found.promised.filter((one) => one.kept === "to_come").length;
  return (
    <Section aria-labelledby="promised">
      <h2 id="promised">Promised and come true</h2>
      <p className="quiet">
        What the buyer was shown before paying, against what was charged: {kept} as promised
        {not ? `, ${not} otherwise` : ""}, {coming} to come
        {kept + not + coming < found.promised.length ? "; the others were replaced by a change" : ""}.
      </p>
      <Table>
        <thead>
          <tr>
            <th scope="col">Day</th>
            <th scope="col" className="amount">
              Promised
            </th>
            <th scope="col" className="amount">
              Charged
            </th>
            <th scope="col">
              <span style={{ paddingLeft: 20 }}>So</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {found.promised.map((one) => (
            <tr key={one.on}>
              <td>{day(one.on)}</td>
              <td className="amount">{one.total}</td>
              <td className="amount">{one.came ?? ""}</td>
              <td>
                <span style={{ paddingLeft: 20 }}>
                  {KEPT[one.kept]}
                  {one.order && one.kept === "no" ? (
                    <>
                      , <To to={`/s/${code}/orders/${mode}/${one.order}`}>{one.order}</To>
                    </>
                  ) : null}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}

/** What a person does for the customer; all of it is written down. */
function Act({ code, mode, found }: At) {
  const { mayWord } = useRole(code);
  const [proposal, setProposal] = useState<Proposal>();
  const [asking, setAsking] = useState<"change" | "pause" | "cancel">();
  const queries = useQueryClient();
  const path = { site: code, mode, subscription: found.code };
  const done = async () => {
    setAsking(undefined);
    setProposal(undefined);
    await refresh(queries, code);
  };
  const propose = useMutation({
    mutationFn: (body: Schemas["ProposeRequest"]) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/proposal", {
          params: { path },
          body,
        }),
      ),
    onSuccess: setProposal,
  });
  const takeBack = useMutation({
    mutationFn: () =>
      data(
        api.DELETE("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation", {
          params: { path },
        }),
      ),
    onSuccess: done,
  });
  const resume = useMutation({
    mutationFn: () =>
      data(
        api.DELETE("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/pause", {
          params: { path },
        }),
      ),
    onSuccess: done,
  });
  const may = (what: string) => found.can[what] === null;
  if (!mayWord || !Object.values(found.can).includes(null)) return null;
  const problem = propose.error ?? takeBack.error ?? resume.error;
  return (
    <Section aria-labelledby="act">
      <h2 id="act">For the customer</h2>
      <Actions>
        {may("change") || may("quantity") ? (
          <Button onPress={() => setAsking(asking === "change" ? undefined : "change")}>Change it</Button>
        ) : null}
        {may("pay_off") ? (
          <Button isPending={propose.isPending} onPress={() => propose.mutate({ kind: "pay_off" })}>
            Pay the rest at once
          </Button>
        ) : null}
        {may("restart") ? (
          <Button isPending={propose.isPending} onPress={() => propose.mutate({ kind: "restart" })}>
            Start it again
          </Button>
        ) : null}
        {may("resume") ? (
          <Confirm
            question={`Go on with it, and charge ${found.currency} ${found.amount} now?`}
            sure="Go on with it"
            isPending={resume.isPending}
            onConfirm={() => resume.mutate()}
          >
            Go on with it
          </Confirm>
        ) : null}
        {may("pause") && !found.pausing ? (
          <Button onPress={() => setAsking(asking === "pause" ? undefined : "pause")}>Pause it</Button>
        ) : null}
        {may("take_back") ? (
          <Button isPending={takeBack.isPending} onPress={() => takeBack.mutate()}>
            {found.ends_on
              ? "Take the end back"
              : found.pausing
                ? "Take the pause back"
                : "Take the change back"}
          </Button>
        ) : null}
        {may("cancel") || may("cancel_at_once") ? (
          <Button look="plain" onPress={() => setAsking(asking === "cancel" ? undefined : "cancel")}>
            End it
          </Button>
        ) : null}
      </Actions>
      {problem ? <Notice kind="error">{problem.message}</Notice> : null}
      {asking === "change" ? <Change found={found} propose={propose} /> : null}
      {asking === "pause" ? <Pause path={path} found={found} onDone={done} /> : null}
      {asking === "cancel" ? <Cancel path={path} found={found} onDone={done} /> : null}
      {proposal ? (
        <Agree path={path} of={proposal} onDone={done} onNo={() => setProposal(undefined)} />
      ) : null}
    </Section>
  );
}

const Asked = styled.form`
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
  > div {
    min-width: 220px;
  }
`;

function Change({
  found,
  propose,
}: {
  found: View;
  propose: { isPending: boolean; mutate: (body: Schemas["ProposeRequest"]) => void };
}) {
  const [to, setTo] = useState(found.plans[0]?.price ?? "");
  const [many, setMany] = useState(String(found.quantity));
  return (
    <>
      {found.can["change"] === null && found.plans.length ? (
        <Asked
          onSubmit={(event) => {
            event.preventDefault();
            propose.mutate({ kind: "change", price: to });
          }}
        >
          <Choice
            label="To the plan"
            value={to}
            options={found.plans.map((one) => [
              one.price,
              `${one.name}, ${found.currency} ${one.amount} every ${one.every} (${one.way})`,
            ])}
            onChange={setTo}
          />
          <Button type="submit" isPending={propose.isPending}>
            Show what it costs
          </Button>
        </Asked>
      ) : null}
      {found.can["quantity"] === null ? (
        <Asked
          onSubmit={(event) => {
            event.preventDefault();
            propose.mutate({ kind: "change", quantity: Number(many) });
          }}
        >
          <Field
            label={`How many, from ${found.quantity_least} to ${found.quantity_most}`}
            value={many}
            onChange={setMany}
            inputMode="numeric"
          />
          <Button type="submit" isPending={propose.isPending} isDisabled={!/^\d+$/.test(many)}>
            Show what it costs
          </Button>
        </Asked>
      ) : null}
    </>
  );
}

interface PathTo {
  site: string;
  mode: Mode;
  subscription: string;
}

function Agree({
  path,
  of,
  onDone,
  onNo,
}: {
  path: PathTo;
  of: Proposal;
  onDone: () => Promise<void>;
  onNo: () => void;
}) {
  const agree = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/agree", {
          params: { path },
          body: { token: of.token },
        }),
      ),
    onSuccess: async ({ state }) => {
      if (state !== "refused") await onDone();
    },
  });
  const nothing = Number(of.due) === 0;
  return (
    <div aria-label="What it comes to" role="group">
      <Table>
        <tbody>
          <tr>
            <th scope="row">
              {of.quantity > 1 ? `${of.quantity} × ` : ""}
              {of.plan}
            </th>
            <td className="amount">{of.when === "now" ? `${of.currency} ${of.charge}` : ""}</td>
          </tr>
          {Number(of.credit) ? (
            <tr>
              <th scope="row">Credit for unused time</th>
              <td className="amount">−{of.credit}</td>
            </tr>
          ) : null}
          <tr>
            <th scope="row">
              <strong>{nothing ? "Nothing is charged now" : "Charged now"}</strong>
            </th>
            <td className="amount">
              <strong>
                {of.currency} {of.due}
              </strong>
            </td>
          </tr>
          {Number(of.balance) ? (
            <tr>
              <th scope="row">Left for the next charges</th>
              <td className="amount">{of.balance}</td>
            </tr>
          ) : null}
          <tr>
            <th scope="row">{of.when === "now" ? "Next charge on" : "It takes effect on"}</th>
            <td className="amount">{day(of.next_on)}</td>
          </tr>
        </tbody>
      </Table>
      {agree.error ? <Notice kind="error">{agree.error.message}</Notice> : null}
      {agree.data?.state === "refused" ? (
        <Notice kind="error">
          The card was refused: {REASONS[agree.data.message ?? "other"] ?? "no reason was given"}. Everything
          stays.
        </Notice>
      ) : null}
      <Actions>
        <Button look="main" isPending={agree.isPending} onPress={() => agree.mutate()}>
          {nothing ? "Do it" : `Charge ${of.currency} ${of.due} and do it`}
        </Button>
        <Button onPress={onNo}>No</Button>
      </Actions>
    </div>
  );
}

function Pause({ path, found, onDone }: { path: PathTo; found: View; onDone: () => Promise<void> }) {
  const [until, setUntil] = useState("");
  const pause = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/pause", {
          params: { path },
          body: { resumes_on: until || null },
        }),
      ),
    onSuccess: onDone,
  });
  return (
    <Asked
      onSubmit={(event) => {
        event.preventDefault();
        pause.mutate();
      }}
    >
      <p>Nothing is charged from {day(found.paid_until)} on.</p>
      <Field label="Until a day, if it is known" type="date" value={until} onChange={setUntil} />
      <Button type="submit" isPending={pause.isPending}>
        Pause it
      </Button>
      {pause.error ? <Notice kind="error">{pause.error.message}</Notice> : null}
    </Asked>
  );
}

function Cancel({ path, found, onDone }: { path: PathTo; found: View; onDone: () => Promise<void> }) {
  const later = found.can["cancel"] === null;
  const [when, setWhen] = useState<"paid_time" | "at_once">(later ? "paid_time" : "at_once");
  const [unused, setUnused] = useState<"kept" | "given_back">("kept");
  const [reason, setReason] = useState("");
  const cancel = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/subscriptions/{subscription}/cancellation", {
          params: { path },
          body: { when, unused: when === "at_once" ? unused : null, reason },
        }),
      ),
    onSuccess: onDone,
  });
  return (
    <Asked onSubmit={(event) => event.preventDefault()}>
      <Choice
        label="It ends"
        value={when}
        options={[
          ...(later
            ? ([["paid_time", `When the paid time does, on ${day(found.paid_until)}`]] as const)
            : []),
          ["at_once", "At once"],
        ]}
        onChange={setWhen}
      />
      {when === "at_once" ? (
        <Choice
          label="The unused part of what was paid is"
          value={unused}
          options={[
            ["kept", "Kept"],
            ["given_back", "Given back"],
          ]}
          onChange={setUnused}
        />
      ) : null}
      <Field label="Reason, if there is one" value={reason} onChange={setReason} />
      <Confirm
        question="End it?"
        sure="End the subscription"
        isPending={cancel.isPending}
        onConfirm={() => cancel.mutate()}
      >
        End it
      </Confirm>
      {cancel.error ? <Notice kind="error">{cancel.error.message}</Notice> : null}
    </Asked>
  );
}
