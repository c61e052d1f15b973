// One subscription as its customer sees it: what is next, and what they may do about it.
import { useState } from "react";
import { Refused, type Schemas, data, api } from "../api/client";
import { Aside, TextButton } from "../counter/look";
import { money } from "../kit/format/money";
import { type Common, useAt, type Done } from "./accountParts";
import { type Asking, NO_PROBLEM, Agree, Ask } from "./asking";
import { ChangePlan, HowMany, Pause, Cancel } from "./changes";
import { NewCard } from "./NewCard";
import { type Sub, type Proposal, Card, standing, day } from "./standing";

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
