// One subscription as its customer sees it: what is next, and what they may do about it.
import { useState } from "react";
import { Refused, type Schemas, data, api } from "../api/client";
import { Aside, TextButton } from "../counter/look";
import { money } from "../kit/format/money";
import { away, type Common, useAt, type Done } from "./accountParts";
import { type Asking, NO_PROBLEM, Agree, Ask } from "./asking";
import { ChangePlan, HowMany, Pause, Cancel } from "./changes";
import { NewCard } from "./NewCard";
import { type Sub, type Proposal, Card, standing, day } from "./standing";

type Acting = ReturnType<typeof useActing>;

/** One of the customer's subscriptions. */
export function MySubscription({ boot, mine, sub, onChange }: Common & { sub: Sub }) {
  const acting = useActing(boot, sub, onChange);
  const { proposal, setProposal, told, error, busy } = acting;
  const over = sub.state === "ended" || sub.state === "completed";
  return (
    <Card className={over ? "over" : ""} aria-label={sub.what}>
      <Stands sub={sub} />
      {told ? <Aside role="status">{told}</Aside> : null}
      {error ? (
        <Aside className="wrong" role="alert">
          {error}
        </Aside>
      ) : null}
      {proposal ? (
        <Agree
          of={proposal}
          busy={busy}
          onYes={() => void acting.agree()}
          onNo={() => setProposal(undefined)}
        />
      ) : (
        <>
          <Asked boot={boot} mine={mine} sub={sub} acting={acting} />
          <Actions sub={sub} cards={mine.pay.length > 0} acting={acting} />
        </>
      )}
      <Folded sub={sub} />
    </Card>
  );
}

/** What the customer is asked, what they ask for, and what became of it. */
function useActing(boot: Common["boot"], sub: Sub, onChange: Common["onChange"]) {
  const at = useAt(boot);
  const path = { params: { ...at.params, path: { code: boot.code, subscription: sub.code } } };
  const [asking, setAsking] = useState<Asking>();
  const [proposal, setProposal] = useState<Proposal>();
  const [told, setTold] = useState<string>();
  const [error, setError] = useState<string>();
  const [busy, setBusy] = useState(false);

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
  const pause = (until: string) =>
    act(async () => {
      await data(
        api.POST("/counter/api/account/{code}/subscriptions/{subscription}/pause", {
          ...path,
          body: { resumes_on: until || null },
        }),
      );
      return `Nothing is charged from ${day(sub.paid_until)} on.`;
    });
  const cancel = (reason: string) =>
    act(async () => {
      await data(
        api.POST("/counter/api/account/{code}/subscriptions/{subscription}/cancellation", {
          ...path,
          body: { reason, shown_at: sub.gives_back?.at ?? null },
        }),
      );
      return "It is cancelled. A mail confirms it.";
    });
  return {
    ...{ asking, setAsking, proposal, setProposal, told, error, busy },
    ...{ act, propose, agree, takeBack, goOn, pause, cancel },
  };
}

function outcome(done: Done, words: string): string {
  if (done.state === "refused")
    throw new Refused({ ...NO_PROBLEM, detail: `${done.message} Nothing has changed.` });
  if (done.state === "pending") return "Your bank has not answered yet. This page shows it when it has.";
  return words;
}

/** How it stands. */
function Stands({ sub }: { sub: Sub }) {
  return (
    <>
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
          <a href={sub.renewal} {...away}>
            {sub.state === "failing" ? "Pay it now" : "See it"}
          </a>
        </Aside>
      ) : null}
    </>
  );
}

/** The form of what is asked for. */
function Asked({ boot, mine, sub, acting }: Pick<Common, "boot" | "mine"> & { sub: Sub; acting: Acting }) {
  const { asking, busy, propose, act } = acting;
  return (
    <>
      {asking === "change" ? (
        <ChangePlan sub={sub} busy={busy} onAsk={(price) => void propose({ kind: "change", price })} />
      ) : null}
      {asking === "quantity" ? (
        <HowMany sub={sub} busy={busy} onAsk={(quantity) => void propose({ kind: "change", quantity })} />
      ) : null}
      {asking === "pause" ? (
        <Pause sub={sub} busy={busy} onPause={(until) => void acting.pause(until)} />
      ) : null}
      {asking === "cancel" ? (
        <Cancel sub={sub} busy={busy} onCancel={(reason) => void acting.cancel(reason)} />
      ) : null}
      {asking === "card" ? (
        <NewCard
          boot={boot}
          mine={mine}
          sub={sub}
          onDone={(words) => void act(() => Promise.resolve(words))}
        />
      ) : null}
    </>
  );
}

/** What they may do. */
function Actions({ sub, cards, acting }: { sub: Sub; cards: boolean; acting: Acting }) {
  const { asking, setAsking, propose, takeBack, goOn } = acting;
  const may = (what: string) => sub.may.includes(what);
  return (
    <div className="actions">
      {may("change") ? <Ask now={asking} it="change" set={setAsking} words="Change the plan" /> : null}
      {may("quantity") ? <Ask now={asking} it="quantity" set={setAsking} words="Change how many" /> : null}
      {may("pay_off") ? (
        <TextButton type="button" onClick={() => void propose({ kind: "pay_off" })}>
          Pay the rest now
        </TextButton>
      ) : null}
      {may("take_back") ? (
        <TextButton type="button" onClick={() => void takeBack()}>
          {sub.ends_on ? "Do not cancel it" : sub.pausing ? "Do not pause it" : "Stay with the present plan"}
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
      {may("card") && cards ? (
        <Ask
          now={asking}
          it="card"
          set={setAsking}
          words={sub.card_ending ? "Use another card" : "Add a card"}
        />
      ) : null}
      {may("pause") && !sub.pausing ? <Ask now={asking} it="pause" set={setAsking} words="Pause" /> : null}
      {may("cancel") && !sub.ends_on ? <Ask now={asking} it="cancel" set={setAsking} words="Cancel" /> : null}
    </div>
  );
}

/** What is charged and when, and the papers: opened by whoever wants to see them. */
function Folded({ sub }: { sub: Sub }) {
  return (
    <>
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
    </>
  );
}
