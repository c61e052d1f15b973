// One subscription as its customer sees it: what is next, and what they may do about it.
import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";

import { api, data, Refused, type Schemas } from "../api/client";
import { money } from "../kit/format/money";
import { Choices, Filled, useAt, type Common, type Done, type Mine } from "./accountParts";
import type { AccountBoot } from "../counter/boot";
import { TextField } from "../counter/Fields";
import { Aside, PayButton, TextButton } from "../counter/look";
import { TypeCard } from "./TypeCard";

type Sub = Schemas["MySubscription"];
type Proposal = Schemas["ProposalView"];

const Card = styled.article`
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

const Rows = styled.dl`
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

const day = (on: string) =>
  new Date(`${on.slice(0, 10)}T12:00:00Z`).toLocaleDateString("en-GB", {
    dateStyle: "long",
    timeZone: "UTC",
  });

type Asking = "change" | "quantity" | "pause" | "cancel" | "card" | undefined;

/** One of the customer's subscriptions. */
export function MySubscription({ boot, mine, sub, onChange }: Common & { sub: Sub }) {
  const at = useAt(boot);
  const path = { params: { ...at.params, path: { code: boot.code, subscription: sub.code } } };
  const [asking, setAsking] = useState<Asking>();
  const [proposal, setProposal] = useState<Proposal>();
  const [told, setTold] = useState<string>();
  const [error, setError] = useState<string>();
  const [busy, setBusy] = useState(false);
  const may = (what: string) => sub.may.includes(what);
  const over = sub.state === "ended" || sub.state === "completed";

  const act = async (work: () => Promise<string | undefined>) => {
    setBusy(true);
    setError(undefined);
    setTold(undefined);
    try {
      const said = await work();
      if (said !== undefined) {
        setTold(said);
        setAsking(undefined);
        setProposal(undefined);
        await onChange();
      }
    } catch (caught) {
      setError(caught instanceof Refused ? caught.message : "Something went wrong. Try again.");
    }
    setBusy(false);
  };
  const propose = (body: Schemas["ProposeRequest"]) =>
    act(async () => {
      setProposal(
        await data(
          api.POST("/counter/api/account/{code}/subscriptions/{subscription}/proposal", { ...path, body }),
        ),
      );
      return undefined;
    });
  const agree = () =>
    act(async () => {
      const done = await data(
        api.POST("/counter/api/account/{code}/subscriptions/{subscription}/agree", {
          ...path,
          body: { token: proposal?.token ?? "" },
        }),
      );
      return outcome(done, "Done. A mail confirms it.");
    });
  const takeBack = () =>
    act(async () => {
      await data(api.DELETE("/counter/api/account/{code}/subscriptions/{subscription}/cancellation", path));
      return "Taken back. Everything goes on as before.";
    });
  const goOn = () =>
    act(async () => {
      const found = await data(
        api.DELETE("/counter/api/account/{code}/subscriptions/{subscription}/pause", path),
      );
      return found.state === "failing" ? "The payment was refused." : "It goes on.";
    });
  const outcome = (done: Done, words: string) => {
    if (done.state === "refused")
      throw new Refused({ ...NO_PROBLEM, detail: `${done.message} Nothing has changed.` });
    if (done.state === "pending") return "Your bank has not answered yet. This page shows it when it has.";
    return words;
  };

  return (
    <Card className={over ? "over" : ""} aria-label={sub.what}>
      <div>
        <h2>{sub.what}</h2>
        <p>
          {sub.quantity > 1 ? `${sub.quantity} × ` : ""}
          {sub.plan}, {money(sub.currency, sub.amount)} every {sub.every}
        </p>
        <p>{standing(sub)}</p>
        {sub.following ? (
          <p>
            From {day(sub.paid_until)} on: {sub.following}.
          </p>
        ) : null}
        {sub.balance ? <p>{money(sub.currency, sub.balance)} is left for the next charges.</p> : null}
      </div>
      {sub.renewal && (sub.state === "failing" || sub.charging) ? (
        <Aside className={sub.state === "failing" ? "wrong" : ""}>
          <strong>
            {sub.state === "failing" ? "The last payment did not go through." : "A payment is under way."}
          </strong>
          <a href={sub.renewal}>{sub.state === "failing" ? "Pay it now" : "See it"}</a>
        </Aside>
      ) : null}
      {told ? <Aside role="status">{told}</Aside> : null}
      {error ? (
        <Aside className="wrong" role="alert">
          {error}
        </Aside>
      ) : null}
      {proposal ? (
        <Agree of={proposal} busy={busy} onYes={() => void agree()} onNo={() => setProposal(undefined)} />
      ) : (
        <>
          {asking === "change" ? (
            <ChangePlan sub={sub} busy={busy} onAsk={(price) => void propose({ kind: "change", price })} />
          ) : null}
          {asking === "quantity" ? (
            <HowMany sub={sub} busy={busy} onAsk={(quantity) => void propose({ kind: "change", quantity })} />
          ) : null}
          {asking === "pause" ? (
            <Pause
              sub={sub}
              busy={busy}
              onPause={(until) =>
                void act(async () => {
                  await data(
                    api.POST("/counter/api/account/{code}/subscriptions/{subscription}/pause", {
                      ...path,
                      body: { resumes_on: until || null },
                    }),
                  );
                  return `Nothing is charged from ${day(sub.paid_until)} on.`;
                })
              }
            />
          ) : null}
          {asking === "cancel" ? (
            <Cancel
              sub={sub}
              busy={busy}
              onCancel={(reason) =>
                void act(async () => {
                  await data(
                    api.POST("/counter/api/account/{code}/subscriptions/{subscription}/cancellation", {
                      ...path,
                      body: { reason },
                    }),
                  );
                  return "It is cancelled. A mail confirms it.";
                })
              }
            />
          ) : null}
          {asking === "card" ? (
            <NewCard
              boot={boot}
              mine={mine}
              sub={sub}
              onDone={(words) => void act(() => Promise.resolve(words))}
            />
          ) : null}
          <div className="actions">
            {may("change") ? <Ask now={asking} it="change" set={setAsking} words="Change the plan" /> : null}
            {may("quantity") ? (
              <Ask now={asking} it="quantity" set={setAsking} words="Change how many" />
            ) : null}
            {may("pay_off") ? (
              <TextButton type="button" onClick={() => void propose({ kind: "pay_off" })}>
                Pay the rest now
              </TextButton>
            ) : null}
            {may("take_back") ? (
              <TextButton type="button" onClick={() => void takeBack()}>
                {sub.ends_on
                  ? "Do not cancel it"
                  : sub.pausing
                    ? "Do not pause it"
                    : "Stay with the present plan"}
              </TextButton>
            ) : null}
            {may("resume") ? (
              <TextButton type="button" onClick={() => void goOn()}>
                Go on, and pay {money(sub.currency, sub.amount)} now
              </TextButton>
            ) : null}
            {may("restart") ? (
              <TextButton type="button" onClick={() => void propose({ kind: "restart" })}>
                Start it again
              </TextButton>
            ) : null}
            {may("card") && mine.pay.length ? (
              <Ask
                now={asking}
                it="card"
                set={setAsking}
                words={sub.card_ending ? "Use another card" : "Add a card"}
              />
            ) : null}
            {may("pause") && !sub.pausing ? (
              <Ask now={asking} it="pause" set={setAsking} words="Pause" />
            ) : null}
            {may("cancel") && !sub.ends_on ? (
              <Ask now={asking} it="cancel" set={setAsking} words="Cancel" />
            ) : null}
          </div>
        </>
      )}
      {sub.coming.length ? (
        <details>
          <summary>What is charged, and when</summary>
          <ul>
            {sub.coming.map((one) => (
              <li key={one.on}>
                <span>{day(one.on)}</span>
                <span>{money(sub.currency, one.total)}</span>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
      {sub.papers.length ? (
        <details>
          <summary>Receipts and invoices</summary>
          <ul>
            {sub.papers.map((one) => (
              <li key={one.number}>
                <a href={one.pdf} download>
                  {one.kind} {one.number}
                </a>
                <span>
                  {day(one.on)}, {money(one.currency, one.amount)}
                </span>
              </li>
            ))}
          </ul>
        </details>
      ) : null}
    </Card>
  );
}

const NO_PROBLEM = { type: "about:blank", title: "", status: 0, detail: "", errors: [], current: null };

function Ask({
  now,
  it,
  set,
  words,
}: {
  now: Asking;
  it: Exclude<Asking, undefined>;
  set: (to: Asking) => void;
  words: string;
}) {
  return (
    <TextButton type="button" aria-expanded={now === it} onClick={() => set(now === it ? undefined : it)}>
      {words}
    </TextButton>
  );
}

function standing(sub: Sub): string {
  if (sub.state === "completed") return "It is paid in full.";
  if (sub.state === "ended") return `It has ended${sub.ended_on ? `, on ${day(sub.ended_on)}` : ""}.`;
  if (sub.state === "paused")
    return `It is paused${sub.resumes_on ? ` until ${day(sub.resumes_on)}` : ""}. Nothing is charged.`;
  if (sub.ends_on) return `It is cancelled, and goes on until ${day(sub.ends_on)}. Nothing more is charged.`;
  if (sub.pausing)
    return `It pauses from ${day(sub.paid_until)}${sub.resumes_on ? ` until ${day(sub.resumes_on)}` : ""}.`;
  const next = sub.coming[0];
  const card = sub.card_ending ? ` from what ends in ${sub.card_ending}` : "";
  if (!next) return "";
  const words = `${money(sub.currency, next.total)} on ${day(next.on)}${card}`;
  return sub.state === "trial" ? `Free until ${day(next.on)}. Then: ${words}.` : `Next: ${words}.`;
}

function Agree({
  of,
  busy,
  onYes,
  onNo,
}: {
  of: Proposal;
  busy: boolean;
  onYes: () => void;
  onNo: () => void;
}) {
  const nothing = Number(of.due) === 0;
  const heading = useRef<HTMLHeadingElement>(null);
  useEffect(() => heading.current?.focus(), []);
  return (
    <section aria-label="What it comes to">
      <h2 ref={heading} tabIndex={-1}>
        {of.quantity > 1 ? `${of.quantity} × ` : ""}
        {of.plan}
      </h2>
      <Rows>
        {of.when === "now" && Number(of.charge) ? (
          <>
            <dt>{of.kind === "pay_off" ? "The payments that are left" : "The new plan"}</dt>
            <dd>{money(of.currency, of.charge)}</dd>
          </>
        ) : null}
        {Number(of.from_balance) ? (
          <>
            <dt>Paid with what you have not used</dt>
            <dd>{money(of.currency, `-${of.from_balance}`)}</dd>
          </>
        ) : null}
        <dt className="sum">Due now</dt>
        <dd className="sum">{money(of.currency, of.due)}</dd>
        {Number(of.balance) ? (
          <>
            <dt>Left for the next charges</dt>
            <dd>{money(of.currency, of.balance)}</dd>
          </>
        ) : null}
      </Rows>
      <p>
        {of.kind === "pay_off"
          ? "Then everything is paid."
          : of.when === "now"
            ? `The next charge is on ${day(of.next_on)}.`
            : `It takes effect on ${day(of.next_on)}, when what you have paid for ends. Until then you can take it back.`}
      </p>
      <PayButton
        type="button"
        aria-disabled={busy}
        onClick={busy ? undefined : onYes}
        style={{ width: "100%" }}
      >
        {busy ? "One moment …" : nothing ? "Change it" : `Pay ${money(of.currency, of.due)}`}
      </PayButton>
      <TextButton type="button" onClick={onNo}>
        Leave it as it is
      </TextButton>
    </section>
  );
}

function ChangePlan({ sub, busy, onAsk }: { sub: Sub; busy: boolean; onAsk: (price: string) => void }) {
  const [to, setTo] = useState(sub.plans[0]?.price ?? "");
  return (
    <Filled onSend={() => onAsk(to)}>
      <Choices>
        <legend className="hidden">The plans there are</legend>
        {sub.plans.map((one) => (
          <label key={one.price}>
            <input
              type="radio"
              name={`plan ${sub.code}`}
              checked={to === one.price}
              onChange={() => setTo(one.price)}
            />
            <span>
              {one.name}, {money(sub.currency, one.amount)} every {one.every}
            </span>
          </label>
        ))}
      </Choices>
      <PayButton type="submit" aria-disabled={busy || !to} style={{ width: "100%" }}>
        Show what it costs
      </PayButton>
    </Filled>
  );
}

function HowMany({ sub, busy, onAsk }: { sub: Sub; busy: boolean; onAsk: (quantity: number) => void }) {
  const [many, setMany] = useState(String(sub.quantity));
  return (
    <Filled
      onSend={() => {
        if (/^\d+$/.test(many)) onAsk(Number(many));
      }}
    >
      <TextField
        label={`How many, from ${sub.quantity_least} to ${sub.quantity_most}`}
        name="quantity"
        value={many}
        problem={undefined}
        onChange={setMany}
      />
      <PayButton type="submit" aria-disabled={busy || !/^\d+$/.test(many)}>
        Show what it costs
      </PayButton>
    </Filled>
  );
}

function Pause({ sub, busy, onPause }: { sub: Sub; busy: boolean; onPause: (until: string) => void }) {
  const [until, setUntil] = useState("");
  return (
    <Filled onSend={() => onPause(until)}>
      <p>
        What you have paid for goes on until {day(sub.paid_until)}. From then on nothing is charged until you
        go on.
      </p>
      <TextField
        label="Go on by itself on (if you like)"
        name="until"
        type="date"
        value={until}
        problem={undefined}
        onChange={setUntil}
      />
      <PayButton type="submit" aria-disabled={busy}>
        Pause it
      </PayButton>
    </Filled>
  );
}

function Cancel({ sub, busy, onCancel }: { sub: Sub; busy: boolean; onCancel: (reason: string) => void }) {
  const [reason, setReason] = useState("");
  return (
    <Filled onSend={() => onCancel(reason)}>
      <p>
        {sub.ends_when === "at_once"
          ? `It ends at once.${sub.gives_back ? " The unused part of what you paid is given back." : ""}`
          : `It goes on until ${day(sub.paid_until)}, and nothing more is charged. Until then you can take this back.`}
      </p>
      <TextField
        label="Why? (only if you like to say)"
        name="reason"
        value={reason}
        problem={undefined}
        onChange={setReason}
      />
      <PayButton type="submit" aria-disabled={busy}>
        Cancel it
      </PayButton>
    </Filled>
  );
}

/** Another card, typed into the gateway's own fields. */
function NewCard({
  boot,
  mine,
  sub,
  onDone,
}: {
  boot: AccountBoot;
  mine: Mine;
  sub: Sub;
  onDone: (words: string) => void;
}) {
  const at = useAt(boot);
  const path = { params: { ...at.params, path: { code: boot.code, subscription: sub.code } } };
  return (
    <TypeCard
      ways={mine.pay}
      button={sub.state === "failing" ? "Pay with this card, and keep it" : "Keep this card"}
      send={(way, token) =>
        data(
          api.POST("/counter/api/account/{code}/subscriptions/{subscription}/card", {
            ...path,
            body: { way, token },
          }),
        )
      }
      approved={(way, key) =>
        data(
          api.POST("/counter/api/account/{code}/subscriptions/{subscription}/card-approved", {
            ...path,
            body: { way, key },
          }),
        )
      }
      onDone={() => onDone("The new card is kept.")}
    />
  );
}
