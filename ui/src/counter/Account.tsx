// The account page: a customer looks after their own subscriptions. It is loaded by itself, never with a checkout.
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { styled } from "styled-components";

import { api, data, fieldProblem, Refused, type Schemas } from "../api/client";
import { money } from "../kit/money";
import { CardFields, type CardHandle } from "./CardFields";
import { AddressFields, TextField } from "./Fields";
import { Aside, Column, PayButton, TextButton } from "./look";
import type { AccountBoot } from "./boot";
import { keptProof, type Typed } from "./kept";

type Mine = Schemas["MyAccount"];
type Sub = Schemas["MySubscription"];
type Proposal = Schemas["ProposalView"];
type Done = Schemas["AccountDone"];

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

const Choices = styled.fieldset`
  border: 0;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
  label {
    display: flex;
    gap: 10px;
    align-items: center;
    min-height: 44px;
  }
  input {
    width: 20px;
    height: 20px;
    accent-color: var(--brand);
  }
`;

const day = (on: string) =>
  new Date(`${on.slice(0, 10)}T12:00:00Z`).toLocaleDateString("en-GB", {
    dateStyle: "long",
    timeZone: "UTC",
  });

/** The account page of a site. */
export default function Account({ boot }: { boot: AccountBoot }) {
  const [mine, setMine] = useState<Mine>();
  const [state, setState] = useState<"looking" | "out" | "in">("looking");
  const [trouble, setTrouble] = useState<string>();
  const at = useAt(boot);
  const load = useCallback(async () => {
    try {
      setMine(await data(api.GET("/counter/api/account/{code}/mine", at)));
      setState("in");
    } catch (error) {
      if (error instanceof Refused && error.problem.status !== 401) setTrouble(error.message);
      setState("out");
    }
  }, [at]);
  const begun = useRef(false);
  useEffect(() => {
    // A link that is opened where the page is open already changes nothing but what comes after the sign #.
    const followed = () => window.location.reload();
    window.addEventListener("hashchange", followed);
    return () => window.removeEventListener("hashchange", followed);
  }, []);
  useEffect(() => {
    if (begun.current) return;
    begun.current = true;
    const token = decodeURIComponent(window.location.hash.slice(1));
    if (!token) {
      setTimeout(() => void load());
      return;
    }
    // The link works once: it is taken out of the address, so that it is neither kept nor followed again.
    window.history.replaceState(null, "", window.location.pathname + window.location.search);
    data(api.POST("/counter/api/account/{code}/enter", { ...at, body: { token, visit: keptProof() } })).then(
      load,
      async (error: unknown) => {
        setTrouble(error instanceof Refused ? error.message : undefined);
        // Somebody who is signed in already follows an old link now and then.
        await load();
      },
    );
  }, [at, load]);
  if (state === "looking") return <Column aria-busy="true" />;
  if (state === "out" || !mine) return <SignIn boot={boot} trouble={trouble} onIn={load} />;
  return <Theirs boot={boot} mine={mine} onChange={load} onOut={() => setState("out")} />;
}

/** What every question of this page has in common. */
function useAt(boot: AccountBoot) {
  const { code, mode } = boot;
  return useMemo(() => ({ params: { path: { code }, query: { test: mode === "test" } } }), [code, mode]);
}

function SignIn({
  boot,
  trouble,
  onIn,
}: {
  boot: AccountBoot;
  trouble: string | undefined;
  onIn: () => Promise<void>;
}) {
  const at = useAt(boot);
  const [email, setEmail] = useState("");
  const [password, setPassword] = useState("");
  const [withPassword, setWithPassword] = useState(false);
  const [sent, setSent] = useState(false);
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  const send = async () => {
    setBusy(true);
    setError(undefined);
    try {
      if (withPassword) {
        await data(
          api.POST("/counter/api/account/{code}/password-sign-in", { ...at, body: { email, password } }),
        );
        await onIn();
      } else {
        await data(api.POST("/counter/api/account/{code}/link", { ...at, body: { email } }));
        setSent(true);
      }
    } catch (caught) {
      setError(caught);
    }
    setBusy(false);
  };
  if (sent)
    return (
      <Column>
        <h1>Look into your mailbox</h1>
        <p>
          If {email.trim()} belongs to a customer of {boot.site_name}, a mail with a link is on its way. It
          works once, within 20 minutes.
        </p>
        <p>
          <TextButton type="button" onClick={() => setSent(false)}>
            Use another address
          </TextButton>
        </p>
      </Column>
    );
  const wrong = fieldProblem(error, "password") ?? fieldProblem(error, "email");
  return (
    <Column>
      <h1>Your subscriptions</h1>
      <p className="lead">
        {withPassword
          ? "Sign in with the password that you have set."
          : "Type the address that you bought with. We send you a link to sign in with."}
      </p>
      {trouble ? <Aside className="wrong">{trouble}</Aside> : null}
      <form
        noValidate
        style={{ display: "contents" }}
        onSubmit={(event) => {
          event.preventDefault();
          void send();
        }}
      >
        <TextField
          label="Email"
          name="email"
          type="email"
          autoComplete="username"
          value={email}
          problem={withPassword ? undefined : wrong}
          onChange={setEmail}
        />
        {withPassword ? (
          <TextField
            label="Password"
            name="password"
            type="password"
            autoComplete="current-password"
            value={password}
            problem={wrong}
            onChange={setPassword}
          />
        ) : null}
        {error instanceof Refused && !wrong ? (
          <Aside className="wrong" role="alert">
            {error.message}
          </Aside>
        ) : null}
        <PayButton type="submit" aria-disabled={busy || email.trim().length < 3}>
          {withPassword ? "Sign in" : "Send me a link"}
        </PayButton>
      </form>
      <p>
        <TextButton type="button" onClick={() => setWithPassword(!withPassword)}>
          {withPassword ? "Send me a link instead" : "Sign in with a password"}
        </TextButton>
      </p>
    </Column>
  );
}

interface Common {
  boot: AccountBoot;
  mine: Mine;
  onChange: () => Promise<void>;
}

function Theirs({ boot, mine, onChange, onOut }: Common & { onOut: () => void }) {
  const at = useAt(boot);
  const leave = async () => {
    await data(api.POST("/counter/api/account/{code}/leave", at)).catch(() => undefined);
    onOut();
  };
  const running = mine.subscriptions.filter((one) => !["ended", "completed"].includes(one.state));
  const over = mine.subscriptions.filter((one) => ["ended", "completed"].includes(one.state));
  return (
    <Column>
      <div>
        <h1>Your subscriptions</h1>
        <p className="lead">{mine.email}</p>
      </div>
      {mine.subscriptions.length ? null : <p>You have no subscription with {boot.site_name}.</p>}
      {running.map((one) => (
        <OfThem key={one.code} boot={boot} mine={mine} sub={one} onChange={onChange} />
      ))}
      {over.length ? <h2>Over</h2> : null}
      {over.map((one) => (
        <OfThem key={one.code} boot={boot} mine={mine} sub={one} onChange={onChange} />
      ))}
      {mine.address && running.length ? <Address boot={boot} mine={mine} onChange={onChange} /> : null}
      <Password boot={boot} mine={mine} onChange={onChange} />
      <p>
        <a href={boot.site_url}>Back to {boot.site_name}</a>
      </p>
      <p>
        <TextButton type="button" onClick={() => void leave()}>
          Sign out
        </TextButton>
      </p>
    </Column>
  );
}

type Asking = "change" | "quantity" | "pause" | "cancel" | "card" | undefined;

function OfThem({ boot, mine, sub, onChange }: Common & { sub: Sub }) {
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
    <form
      onSubmit={(event) => {
        event.preventDefault();
        onAsk(to);
      }}
    >
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
    </form>
  );
}

function HowMany({ sub, busy, onAsk }: { sub: Sub; busy: boolean; onAsk: (quantity: number) => void }) {
  const [many, setMany] = useState(String(sub.quantity));
  return (
    <form
      style={{ display: "contents" }}
      onSubmit={(event) => {
        event.preventDefault();
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
    </form>
  );
}

function Pause({ sub, busy, onPause }: { sub: Sub; busy: boolean; onPause: (until: string) => void }) {
  const [until, setUntil] = useState("");
  return (
    <form
      style={{ display: "contents" }}
      onSubmit={(event) => {
        event.preventDefault();
        onPause(until);
      }}
    >
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
    </form>
  );
}

function Cancel({ sub, busy, onCancel }: { sub: Sub; busy: boolean; onCancel: (reason: string) => void }) {
  const [reason, setReason] = useState("");
  return (
    <form
      style={{ display: "contents" }}
      onSubmit={(event) => {
        event.preventDefault();
        onCancel(reason);
      }}
    >
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
    </form>
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

type Way = Schemas["PayWayView"];

/** A card or an account is typed, traded for a token, and handed on; what its bank asks is answered in between. */
export function TypeCard({
  ways,
  button,
  send,
  approved,
  onDone,
}: {
  ways: Way[];
  button: string;
  send: (way: string, token: string) => Promise<Done>;
  approved?: (way: string, key: string) => Promise<Done>;
  onDone: (done: Done) => void;
}) {
  const [chosen, setChosen] = useState(ways[0]?.gateway ?? "");
  const way = ways.find((one) => one.gateway === chosen);
  const handle = useRef<CardHandle>(null);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<string>();
  const [approval, setApproval] = useState<{ address: string; key: string | null }>();
  const [round, setRound] = useState(0);
  const take = (done: Done) => {
    if (done.state === "refused") {
      setError(`${done.message ?? "It was refused."} Nothing was charged.`);
      setApproval(undefined);
      setRound((n) => n + 1); // a token serves once: the fields begin anew
    } else if (done.state === "pending" && done.approve_at) {
      setApproval({ address: done.approve_at, key: done.key ?? null });
    } else onDone(done);
  };
  const press = async () => {
    if (busy || !way) return;
    setBusy(true);
    setError(undefined);
    const answer = (await handle.current?.tokenise()) ?? { kind: "unreachable" };
    try {
      if (answer.kind === "token") take(await send(way.gateway, answer.token));
      else if (answer.kind === "unreachable") setError("The fields do not answer. Check your connection.");
    } catch (caught) {
      setError(caught instanceof Refused ? caught.message : "Something went wrong. Try again.");
      setRound((n) => n + 1);
    }
    setBusy(false);
  };
  useEffect(() => {
    const key = approval?.key;
    if (!key || !approved || !way) return;
    let here = true;
    const timer = setInterval(() => {
      approved(way.gateway, key).then(
        (done) => {
          if (here && done.state !== "pending") take(done);
        },
        () => undefined, // asked again in a moment
      );
    }, 1500);
    return () => {
      here = false;
      clearInterval(timer);
    };
  });
  if (!way?.fields_address || !way.origin) return <p>No card can be added here at the moment.</p>;
  return (
    <>
      {ways.length > 1 ? (
        <Choices>
          <legend>How you pay</legend>
          {ways.map((one) => (
            <label key={one.gateway}>
              <input
                type="radio"
                name="way"
                checked={one.gateway === chosen}
                onChange={() => setChosen(one.gateway)}
              />
              {one.label}
            </label>
          ))}
        </Choices>
      ) : null}
      <CardFields
        key={`${way.gateway} ${round}`}
        ref={handle}
        title={`${way.label} details`}
        address={way.fields_address}
        origin={way.origin}
        onEnter={() => void press()}
      />
      {error ? (
        <Aside className="wrong" role="alert">
          {error}
        </Aside>
      ) : null}
      {approval ? (
        <Aside role="group" aria-label="Your bank asks you">
          <strong>Your bank asks you to approve it.</strong>
          <iframe
            src={approval.address}
            title="Approval by your bank"
            style={{ width: "100%", height: 300, border: 0, display: "block", marginTop: 10 }}
          />
        </Aside>
      ) : null}
      <PayButton type="button" aria-disabled={busy} onClick={() => void press()}>
        {busy ? "One moment …" : button}
      </PayButton>
    </>
  );
}

function inOneLine(of: Pick<Schemas["MyParcelTo"], "name" | "address" | "form">): string {
  return [of.name, ...of.form.fields.map((field) => of.address[field.name])].filter(Boolean).join(", ");
}

function Address({ boot, mine, onChange }: Common) {
  const at = useAt(boot);
  const known = mine.address;
  const [open, setOpen] = useState(false);
  const [name, setName] = useState(known?.name ?? "");
  const [address, setAddress] = useState<Typed["address"]>(known?.address ?? {});
  const [parcel, setParcel] = useState<Typed["address"] & { name?: string }>({
    ...known?.deliver_to?.address,
    name: known?.deliver_to?.name ?? "",
  });
  const [company, setCompany] = useState(known?.company ?? "");
  const [number, setNumber] = useState(known?.tax_number ?? "");
  const [error, setError] = useState<unknown>();
  const [busy, setBusy] = useState(false);
  if (!known) return null;
  const save = async () => {
    setBusy(true);
    setError(undefined);
    try {
      await data(
        api.PUT("/counter/api/account/{code}/address", {
          ...at,
          body: {
            name,
            address,
            deliver_to: known.deliver_to ? { ...parcel, name: parcel.name ?? "" } : null,
            company: company || null,
            tax_number: number || null,
          },
        }),
      );
      setOpen(false);
      await onChange();
    } catch (caught) {
      setError(caught);
    }
    setBusy(false);
  };
  return (
    <section style={{ display: "flex", flexDirection: "column", gap: 12 }}>
      <h2>Address</h2>
      {open ? (
        <form
          noValidate
          style={{ display: "contents" }}
          onSubmit={(event) => {
            event.preventDefault();
            void save();
          }}
        >
          <TextField
            label="Name"
            name="name"
            autoComplete="name"
            value={name}
            problem={fieldProblem(error, "name")}
            onChange={setName}
          />
          {known.business ? (
            <TextField
              label="Company"
              name="company"
              autoComplete="organization"
              value={company}
              problem={fieldProblem(error, "company")}
              onChange={setCompany}
            />
          ) : null}
          <AddressFields
            form={known.form}
            where="address"
            value={address}
            problem={(field) => fieldProblem(error, field)}
            onChange={(part) => setAddress({ ...address, ...part })}
          />
          {known.deliver_to ? (
            <>
              <h3>Where parcels go</h3>
              <TextField
                label="Name"
                name="deliver_to.name"
                autoComplete="shipping name"
                value={parcel.name ?? ""}
                problem={fieldProblem(error, "deliver_to.name")}
                onChange={(to) => setParcel({ ...parcel, name: to })}
              />
              <AddressFields
                form={known.deliver_to.form}
                where="deliver_to"
                value={parcel}
                problem={(field) => fieldProblem(error, field)}
                onChange={(part) => setParcel({ ...parcel, ...part })}
              />
            </>
          ) : null}
          {known.business ? (
            <TextField
              label={known.form.tax_number ?? "Tax number"}
              name="tax_number"
              value={number}
              problem={fieldProblem(error, "tax_number")}
              onChange={setNumber}
            />
          ) : null}
          {error instanceof Refused && !error.problem.errors.length ? (
            <Aside className="wrong" role="alert">
              {error.message}
            </Aside>
          ) : null}
          <PayButton type="submit" aria-disabled={busy}>
            Save the address
          </PayButton>
        </form>
      ) : (
        <>
          <p>
            {known.company ? `${known.company}, ` : ""}
            {inOneLine(known)}
            {known.tax_number ? `. ${known.form.tax_number ?? "Tax number"}: ${known.tax_number}` : ""}
          </p>
          {known.deliver_to ? <p>Parcels go to {inOneLine(known.deliver_to)}.</p> : null}
          <p>
            <TextButton type="button" onClick={() => setOpen(true)}>
              Change it
            </TextButton>
          </p>
        </>
      )}
    </section>
  );
}

function Password({ boot, mine, onChange }: Common) {
  const at = useAt(boot);
  const [open, setOpen] = useState(false);
  const [password, setPassword] = useState("");
  const [error, setError] = useState<unknown>();
  const save = async () => {
    try {
      await data(api.PUT("/counter/api/account/{code}/password", { ...at, body: { password } }));
      setOpen(false);
      setPassword("");
      await onChange();
    } catch (caught) {
      setError(caught);
    }
  };
  if (!open)
    return (
      <p>
        <TextButton type="button" onClick={() => setOpen(true)}>
          {mine.has_password ? "Change the password" : "Set a password"}
        </TextButton>
      </p>
    );
  return (
    <form
      noValidate
      style={{ display: "contents" }}
      onSubmit={(event) => {
        event.preventDefault();
        void save();
      }}
    >
      <TextField
        label="New password"
        name="new-password"
        type="password"
        autoComplete="new-password"
        value={password}
        problem={fieldProblem(error, "password")}
        onChange={setPassword}
      />
      <PayButton type="submit">Set the password</PayButton>
    </form>
  );
}
