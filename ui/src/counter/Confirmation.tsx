import { useEffect, useState } from "react";
import { styled } from "styled-components";

import { api, data, Refused, type Schemas } from "../api/client";
import { LaterDates, Summary } from "./Summary";
import { Aside, Column, PayButton, TextButton } from "./look";
import { framed, tell, type Awaited, type ConfirmationBoot } from "./boot";
import { keptVisit, keyOfPage } from "./kept";
import { inZone, whenInFull } from "../kit/format/when";

const Slip = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 14px 22px;
  align-items: flex-start;
  border-block: 1px solid var(--rule);
  padding: 16px 0;
  dl {
    flex: 1 1 230px;
    min-width: 0;
    margin: 0;
  }
  dt {
    font-size: 14px;
    color: var(--soft);
  }
  dd {
    margin: 0 0 10px;
    font: 500 16px/1.4 var(--mono);
  }
  figure {
    flex: none;
    margin: 0;
    width: 176px;
  }
  img {
    display: block;
    width: 176px;
    height: 176px;
    background: #fff;
  }
  figcaption {
    font-size: 14px;
    color: var(--soft);
  }
  button {
    font-family: var(--text);
    font-size: 14px;
    margin-left: 10px;
    min-height: 24px;
  }
`;

/** Where a buyer lands: what was bought, how it was paid or is to be paid, and the way back. */
export function Confirmation({ boot }: { boot: ConfirmationBoot }) {
  inZone(boot.time_zone);
  useEffect(() => tell("ready"), []);
  const mine = usePersonal(boot);
  if (boot.state === "open" || boot.state === "cancelled") return <Ended boot={boot} mine={mine} />;
  const thanks = boot.state === "waiting" ? "Your order stands" : "Thank you";
  return (
    <Column>
      <div>
        <h1>{mine?.name ? `${thanks}, ${mine.name}` : thanks}</h1>
        <p className="lead">{lead(boot)}</p>
      </div>
      {boot.awaited ? <ToPay boot={boot} awaited={boot.awaited} /> : null}
      <Summary quote={boot.quote} totalLabel={totalLabel(boot)} />
      <ComesLater boot={boot} />
      <p>
        Order <strong>{boot.code}</strong>
        {boot.paid_at ? `, ${whenInFull(boot.paid_at)}` : ""}
        {boot.paid_by ? `, by ${boot.paid_by}` : ""}.{mine?.email ? ` For ${mine.email}.` : ""}
        {mine?.email && boot.mail_comes ? " A mail about it is on its way there." : ""}
      </p>
      {boot.promises.map((one) => (
        <p key={one.name}>
          {one.name} can be given back until {long(one.until)}.
        </p>
      ))}
      <Papers mine={mine} />
      {mine && !mine.name ? <NotShown boot={boot} /> : null}
      {mine?.name && boot.account && !boot.quote.later.length ? (
        <p>
          It also stands with <ToAccount boot={boot}>all that you have bought</ToAccount> from{" "}
          {boot.site_name}.
        </p>
      ) : null}
      {boot.account ? (
        <p>
          <a
            href={`${boot.account}${boot.account.includes("?") ? "&" : "?"}give-back=${boot.code}`}
            target={framed ? "_blank" : undefined}
            rel="noopener"
          >
            Give something back
          </a>
        </p>
      ) : null}
      <WayBack boot={boot} />
    </Column>
  );
}

type Mine = Schemas["PersonalView"];

/** What only the buyer is shown: in the browser in which it was bought, for a day, and by a link that was mailed.
 * Undefined until that is known. */
function usePersonal({ checkout, mine: given }: ConfirmationBoot): Mine | undefined {
  const [mine, setMine] = useState(given);
  useEffect(() => {
    if (given) return;
    const nobody = { name: null, email: null, papers: [] };
    const token = window.location.pathname.split("/")[2] ?? "";
    const key = keyOfPage();
    const visit = checkout ? keptVisit(checkout) : undefined;
    const asked =
      key || visit
        ? data(
            api.POST("/counter/api/confirmation", {
              body: { token, key: key ?? null, visit: visit ?? null },
            }),
          )
        : Promise.resolve(nobody);
    asked.then(setMine, () => setMine(nobody));
  }, [checkout, given]);
  return mine;
}

/** This page may be anybody's who was sent its address: what is personal is elsewhere. */
function NotShown({ boot }: { boot: ConfirmationBoot }) {
  return (
    <Aside>
      Whose order this is, and its papers, are shown in the browser it was bought in, for a day, and by the
      link in our mail.
      {boot.account ? (
        <>
          {" "}
          Is it yours, and the mail is lost? <ToAccount boot={boot}>Find my purchase</ToAccount>
        </>
      ) : null}
    </Aside>
  );
}

const isNothing = (amount: string) => /^0(\.0+)?$/.test(amount);

/** The account page is never framed: from over the website it opens in a window of its own. */
function ToAccount({ boot, children }: { boot: ConfirmationBoot; children: string }) {
  return (
    <a href={boot.account ?? ""} target={framed ? "_blank" : undefined} rel="noopener">
      {children}
    </a>
  );
}

const totalLabel = (boot: ConfirmationBoot) =>
  boot.state === "waiting" ? "To be paid" : isNothing(boot.quote.due_today) ? "Today" : "Paid";

/** What is charged later, on which days, and where that is looked after and ended. */
function ComesLater({ boot }: { boot: ConfirmationBoot }) {
  const { later, plan } = boot.quote;
  if (!later.length) return null;
  return (
    <section aria-label="What is charged later">
      <LaterDates quote={boot.quote}>
        <p>{isNothing(boot.quote.due_today) ? "Nothing was charged today. Later:" : "Later:"}</p>
      </LaterDates>
      {boot.account ? (
        <p style={{ marginTop: 8 }}>
          {!plan.some((text) => text.includes("until you cancel"))
            ? "You can see it, and use another card, at any time: "
            : isNothing(boot.quote.due_today)
              ? `Nothing is charged if you cancel before ${long(later[0]?.on ?? "")}: `
              : "You can change and cancel it by yourself, at any time: "}
          <ToAccount boot={boot}>look after what you have</ToAccount>.
        </p>
      ) : null}
    </section>
  );
}

function lead(boot: ConfirmationBoot): string {
  if (boot.mode === "test") {
    return boot.state === "waiting"
      ? "This is a test order: do not pay it. Nothing will be sent."
      : "This was a test sale: no money moved, and nothing will be sent.";
  }
  return boot.state === "waiting"
    ? "Keep this page: it stays at its address, and says when your payment has arrived."
    : "Your payment has arrived. Keep this page: it stays at its address.";
}

/** What the order waits for, and how it is paid. */
function ToPay({ boot, awaited }: { boot: ConfirmationBoot; awaited: Awaited }) {
  const slip = awaited.transfer;
  const money = `${boot.quote.currency} ${boot.amount}`;
  return (
    <section aria-label="How to pay it" style={{ display: "contents" }}>
      <p>
        {slip ? (
          <>
            Transfer <strong>{money}</strong>
            {awaited.due_on ? ` until ${long(awaited.due_on)}` : ""}, with this reference, so that it finds
            your order.
          </>
        ) : awaited.gateway === "invoice" ? (
          <>
            Pay <strong>{money}</strong>
            {awaited.due_on ? ` until ${long(awaited.due_on)}` : ""}, as your invoice says.
          </>
        ) : awaited.gateway === "collection" ? (
          <>
            You pay <strong>{money}</strong> when you collect it
            {awaited.due_on ? `, until ${long(awaited.due_on)}` : ""}.
          </>
        ) : (
          <>
            <strong>{money}</strong> will be collected from your account
            {awaited.expected_on ? ` on about ${long(awaited.expected_on)}` : ""}. There is nothing more to
            do.
          </>
        )}{" "}
        {awaited.due_on ? awaited.text : ""}
      </p>
      {slip ? (
        <Slip>
          <dl>
            <Line name="To" value={slip.holder} />
            <Line name="Account (IBAN)" value={slip.iban} copied={slip.iban.replace(/ /g, "")} />
            {slip.bic ? <Line name="Bank (BIC)" value={slip.bic} copied={slip.bic} /> : null}
            <Line name="Amount" value={`${slip.currency} ${slip.amount}`} copied={slip.amount} />
            <Line name="Reference" value={slip.reference} copied={slip.reference.replace(/ /g, "")} />
          </dl>
          <figure>
            <img alt="A code with the same for your banking app" src={slip.qr} />
            <figcaption>Or scan this with your banking app.</figcaption>
          </figure>
        </Slip>
      ) : null}
      {awaited.may_give_up && boot.again ? <AnotherWay boot={boot} again={boot.again} /> : null}
    </section>
  );
}

function Line({ name, value, copied }: { name: string; value: string; copied?: string }) {
  const [done, setDone] = useState(false);
  const copy = () => {
    void navigator.clipboard.writeText(copied ?? value).then(() => setDone(true));
  };
  return (
    <>
      <dt>{name}</dt>
      <dd>
        {value}
        {copied ? (
          <TextButton type="button" onClick={copy} aria-label={`Copy: ${name}`}>
            {done ? "Copied" : "Copy"}
          </TextButton>
        ) : null}
      </dd>
    </>
  );
}

/**
 * Ends the wait and goes back to the checkout, where the same order is paid in another way. Only the browser in which it
 * was ordered can: this page may be anybody's who was sent its address.
 */
function AnotherWay({ boot, again }: { boot: ConfirmationBoot; again: string }) {
  const [problem, setProblem] = useState<string>();
  const visit = useOwnVisit(boot);
  if (!visit) return null;
  const giveUp = async () => {
    try {
      await data(api.POST("/counter/api/give-up", { body: { visit } }));
      window.location.replace(wayBack(again, boot));
    } catch (error) {
      setProblem(error instanceof Refused ? error.problem.detail : "It was not done. Try again.");
    }
  };
  return (
    <div>
      {problem ? <Aside className="wrong">{problem}</Aside> : null}
      <TextButton type="button" onClick={() => void giveUp()}>
        Pay in another way
      </TextButton>
    </div>
  );
}

const wayBack = (again: string, boot: ConfirmationBoot) =>
  `${again}?${new URLSearchParams({ back: boot.back }).toString()}`;

/** The visit of this order, where this browser keeps it. */
function useOwnVisit({ checkout }: ConfirmationBoot): string | undefined {
  const [own, setOwn] = useState<string>();
  useEffect(() => {
    const visit = checkout ? keptVisit(checkout) : undefined;
    if (!visit) return;
    data(api.POST("/counter/api/progress", { body: { visit } })).then(
      (progress) => {
        if (progress.confirmation === window.location.pathname) setOwn(visit);
      },
      () => undefined, // it is over, or cannot be asked about now: the page says the rest all the same
    );
  }, [checkout]);
  return own;
}

/** The order that this page was about does not wait any more. */
function Ended({ boot, mine }: { boot: ConfirmationBoot; mine: Mine | undefined }) {
  const cancelled = boot.state === "cancelled";
  return (
    <Column>
      <h1>{cancelled ? "This order was cancelled" : "This order was not paid"}</h1>
      <p>
        {cancelled
          ? `${boot.site_name} has cancelled the order ${boot.code}. There is nothing to pay.`
          : `The order ${boot.code} does not wait for your payment any more. Nothing was charged.`}
      </p>
      <Papers mine={mine} />
      {!cancelled && boot.again ? (
        <PayButton as="a" href={wayBack(boot.again, boot)}>
          Pay it now
        </PayButton>
      ) : null}
      <WayBack boot={boot} />
    </Column>
  );
}

function Papers({ mine }: { mine: Mine | undefined }) {
  return (
    <>
      {mine?.papers?.map((paper) => (
        <p key={paper.number}>
          <a href={paper.pdf} target={framed ? "_blank" : undefined} rel="noopener">
            Your {paper.kind} {paper.number} (PDF)
          </a>
          {paper.ubl ? (
            <>
              , or{" "}
              <a href={paper.ubl} target={framed ? "_blank" : undefined} rel="noopener">
                for your bookkeeping program (UBL)
              </a>
            </>
          ) : null}
        </p>
      ))}
    </>
  );
}

function WayBack({ boot }: { boot: ConfirmationBoot }) {
  return framed ? (
    <PayButton type="button" onClick={() => tell("close")}>
      Back to {boot.site_name}
    </PayButton>
  ) : (
    <p>
      <a href={boot.site_url}>Back to {boot.site_name}</a>
    </p>
  );
}

/** A day in words. */
const long = (on: string) => new Date(on).toLocaleDateString("en-GB", { dateStyle: "long", timeZone: "UTC" });
