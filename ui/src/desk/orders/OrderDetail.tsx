import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { styled } from "styled-components";

import { api, data, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Empty } from "../../kit/Empty";
import { Notice } from "../../kit/Notice";
import { Body, Section, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { percent } from "../../kit/format/percent";
import { Refunds } from "./Refunds";
import { Waiting } from "../room/Waiting";
import { To } from "../room/places";
import { order, refresh, type Mode } from "../queries";
import { useRole } from "../room/role";

const Story = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  li {
    display: grid;
    grid-template-columns: 88px minmax(0, 1fr);
    gap: 12px;
    padding: 5px 0;
  }
  time {
    font: 13px/1.6 var(--mono);
    color: var(--pencil);
  }
`;

const REASONS: Record<string, string> = {
  no_funds: "not enough money in the account",
  lost: "the card was reported lost",
  expired: "the card has expired",
  not_approved: "the buyer or their bank has not approved it",
  card_details: "the card details had to be typed again",
  not_accepted: "the gateway no longer accepts the key; connect it again under Payments",
  given_up: "the buyer did not wait for it",
  returned: "the bank sent it back",
  closed: "the account is closed",
  not_paid: "it was not paid in time",
  other: "the bank gave no reason",
};

const date = (at: string) => new Date(at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" });
const clock = (at: string) => new Date(at).toLocaleTimeString("en-GB");

/** One order: what was bought, the charge, and everything that happened. */
export function OrderDetail({ code, mode, orderCode }: { code: string; mode: Mode; orderCode: string }) {
  const asked = useQuery(order(code, mode, orderCode));
  if (asked.isError) return <Empty title="No such order">There is no order {orderCode} in this book.</Empty>;
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data;
  const open = found.attempts.find((attempt) => attempt.state === "open");
  return (
    <Body>
      <header>
        <h1>
          {found.name} {mode === "test" ? <Stamp /> : null}
        </h1>
        <p className="quiet">
          Order <span className="mono">{found.code}</span>, {date(found.created_at)}, {found.email},{" "}
          {found.buyer.country_name}.{" "}
          {found.release === null ? "Made from the draft." : `Made under release ${found.release}.`}
        </p>
      </header>
      {found.review ? <Held code={code} mode={mode} found={found} review={found.review} /> : null}
      {found.awaited ? <Awaited code={code} mode={mode} found={found} awaited={found.awaited} /> : null}
      {open && !found.awaited ? (
        <Notice kind="attention" title="The gateway has not said what became of the charge">
          It is asked again by itself{open.asks ? ` (${open.asks} so far)` : ""}. Nothing is charged twice.
        </Notice>
      ) : null}
      {found.disputes.map((one) => (
        <Disputed key={one.reference} of={one} />
      ))}
      <Bought found={found} />
      <Buyer of={found.buyer} />
      <Charges found={found} />
      <Refunds code={code} mode={mode} found={found} />
      <PapersOf code={code} found={found} />
      <Section aria-labelledby="story">
        <h2 id="story">What happened</h2>
        <Story>
          {found.events.map((event, i) => (
            <li key={i}>
              <time dateTime={event.at}>{clock(event.at)}</time>
              <span>{inWords(event)}</span>
            </li>
          ))}
        </Story>
      </Section>
    </Body>
  );
}

/** Why the order is held, and what a person can do. */
function Held({
  code,
  mode,
  found,
  review,
}: {
  code: string;
  mode: Mode;
  found: Schemas["OrderView"];
  review: Schemas["HeldView"];
}) {
  const queries = useQueryClient();
  const { mayWord } = useRole(code);
  const decide = useMutation({
    mutationFn: (state: "passed" | "given_back") =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/orders/{code}/held", {
          params: { path: { site: code, mode, code: found.code } },
          body: { state },
        }),
      ),
    onSuccess: () => refresh(queries, code),
  });
  const why = review.reasons.join(" ");
  if (review.state !== "open")
    return (
      <Notice kind="information">
        It was held: {why} {review.decided_by ?? "Somebody"}{" "}
        {review.state === "passed" ? "let it through" : "gave it back"},{" "}
        {date(review.decided_at ?? review.at)}.
      </Notice>
    );
  return (
    <Notice
      kind="attention"
      title="Held for a person"
      actions={
        mayWord && found.state === "paid" ? (
          <span>
            <Button isPending={decide.isPending} onPress={() => decide.mutate("passed")}>
              Let it through
            </Button>{" "}
            <Button look="plain" isPending={decide.isPending} onPress={() => decide.mutate("given_back")}>
              It was given back
            </Button>
          </span>
        ) : undefined
      }
    >
      {why} Look through it before anything is sent. To give the money back, do so below first.
      {decide.error ? ` ${decide.error.message}` : ""}
    </Notice>
  );
}

/** What the order waits for; where that is a person's word, the two things they can say. */
function Awaited({
  code,
  mode,
  found,
  awaited,
}: {
  code: string;
  mode: Mode;
  found: Schemas["OrderView"];
  awaited: Schemas["AwaitedView"];
}) {
  const queries = useQueryClient();
  const { mayWord } = useRole(code);
  const settle = useMutation({
    mutationFn: (paid: boolean) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/orders/{code}/by-hand", {
          params: { path: { site: code, mode, code: found.code } },
          body: { paid, note: "" },
        }),
      ),
    onSuccess: () => refresh(queries, code),
  });
  const due = awaited.due_on
    ? new Date(awaited.due_on).toLocaleDateString("en-GB", { dateStyle: "long", timeZone: "UTC" })
    : "";
  if (awaited.by === "bank")
    return (
      <Notice title={`Waiting for the bank: ${awaited.label}`}>
        {due ? `The money is expected on about ${due}. ` : ""}Nothing has to be done.
      </Notice>
    );
  return (
    <>
      <Notice
        kind={awaited.overdue ? "attention" : "information"}
        title={`${awaited.overdue ? "Overdue" : "Waiting to be paid"}: ${awaited.label}`}
      >
        {due ? `To be paid until ${due}. ` : ""}
        {awaited.reference ? (
          <>
            Its reference is <span className="mono">{awaited.reference}</span>; a{" "}
            <To to={`/s/${code}/transfers/${mode}`}>statement</To> with it pays the order by itself.
          </>
        ) : (
          "Mark it when the money is there."
        )}
      </Notice>
      {mayWord ? (
        <div>
          <Confirm
            question={`Is ${found.currency} ${found.amount} there?`}
            sure="It is paid"
            isPending={settle.isPending}
            onConfirm={() => settle.mutate(true)}
          >
            Mark as paid
          </Confirm>{" "}
          <Confirm
            look="plain"
            question={
              awaited.gateway === "invoice"
                ? "Cancel the order? The buyer gets a credit note for the invoice."
                : "Wait no longer? What was held for it goes back into stock."
            }
            sure="Wait no longer"
            isPending={settle.isPending}
            onConfirm={() => settle.mutate(false)}
          >
            It will not be paid
          </Confirm>
        </div>
      ) : null}
      {settle.error ? <Notice kind="error">{settle.error.message}</Notice> : null}
    </>
  );
}

const QUESTIONED: Record<string, string> = {
  not_recognised: "they do not recognise it",
  not_received: "they say that nothing came",
  not_as_described: "they say that it is not what was promised",
  returned: "their bank took the direct debit back",
  other: "the bank gives no reason",
};

/** What the buyer has questioned at their bank, and how that was decided. */
function Disputed({ of }: { of: Schemas["DisputeView"] }) {
  const money = `${of.currency} ${of.amount}`;
  const why = QUESTIONED[of.reason] ?? of.reason;
  if (of.state === "won")
    return (
      <Notice kind="information" title={`The dispute about ${money} was decided for you`}>
        The money stays where it is. Decided {date(of.decided_at ?? of.opened_at)}.
      </Notice>
    );
  return (
    <Notice
      kind={of.state === "open" ? "attention" : "error"}
      title={
        of.state === "open"
          ? `The buyer disputes ${money} at their bank`
          : `The dispute about ${money} was lost: the money has gone back`
      }
    >
      {of.state === "open"
        ? `Since ${date(of.opened_at)}: ${why}. Answer it at the gateway, where it is called ${of.reference}. Until it is decided nothing can be given back here.`
        : `Decided ${date(of.decided_at ?? of.opened_at)}: ${why}.`}
    </Notice>
  );
}

function Bought({ found }: { found: Schemas["OrderView"] }) {
  const quote = found.quote as unknown as Schemas["QuoteView"];
  return (
    <Section aria-label="What was bought">
      <Table>
        <tbody>
          {quote.lines.map((line) => (
            <tr key={line.price}>
              <th scope="row">
                {line.quantity > 1 ? `${line.quantity} × ` : ""}
                {line.name}
              </th>
              <td className="amount">{line.total}</td>
            </tr>
          ))}
          {quote.delivery ? (
            <tr>
              <th scope="row">{quote.delivery.name}</th>
              <td className="amount">{quote.delivery.total}</td>
            </tr>
          ) : null}
          {quote.taxes.map((tax) => (
            <tr key={`${tax.place} ${tax.name} ${tax.rate} ${tax.treatment}`}>
              <th scope="row" className="quiet">
                {tax.name === "No tax"
                  ? `${tax.name}, ${tax.place}: ${tax.treatment.replace("_", " ")}`
                  : `${tax.name} ${percent(tax.rate)} ${tax.place}, in it`}
              </th>
              <td className="amount pencil">{tax.amount}</td>
            </tr>
          ))}
          <tr>
            <th scope="row">
              <strong>{found.state === "paid" ? "Paid" : "To be paid"}</strong>
            </th>
            <td className="amount">
              <strong>
                {found.currency} {found.amount}
              </strong>
            </td>
          </tr>
        </tbody>
      </Table>
    </Section>
  );
}

const NUMBERS = {
  valid: "confirmed by the official register",
  invalid: "unknown to the official register: tax was charged",
  malformed: "of a wrong form: tax was charged",
  no_answer: "not confirmed, since the official register did not answer: tax was charged",
} as const;

/** Who bought, where the parcel goes, and what was found about a business's number. */
function Buyer({ of }: { of: Schemas["OrderView"]["buyer"] }) {
  if (!of.parcel_to.length && !of.address.length && !of.company && !of.tax_number && !of.seen_in) return null;
  return (
    <Section aria-labelledby="buyer">
      <h2 id="buyer">{of.parcel_to.length ? `To be sent: ${of.delivery ?? ""}` : "The buyer"}</h2>
      {of.parcel_to.length ? (
        <Lines lines={of.parcel_to} />
      ) : of.address.length ? (
        <Lines lines={of.address} />
      ) : null}
      {of.parcel_to.length && of.address.length && of.address.join() !== of.parcel_to.join() ? (
        <>
          <p className="quiet">The buyer’s own address:</p>
          <Lines lines={of.address} />
        </>
      ) : null}
      {of.company || of.tax_number ? (
        <p>
          Bought for {of.company ?? "a business"}
          {of.tax_number ? (
            <>
              , tax number <span className="mono">{of.tax_number}</span>
              {of.number_answer ? `, ${NUMBERS[of.number_answer]}` : ""}
              {of.number_name ? ` as “${of.number_name}”` : ""}
              {of.number_reference ? (
                <>
                  , reference <span className="mono">{of.number_reference}</span>
                </>
              ) : null}
            </>
          ) : null}
          .
        </p>
      ) : null}
      {of.seen_in ? (
        <p className="quiet">
          The connection seemed to come from {of.seen_in}
          {of.confirmed ? `; the buyer has said that they live in ${of.country_name}` : ""}.
        </p>
      ) : null}
    </Section>
  );
}

const Lines = ({ lines }: { lines: string[] }) => (
  <address style={{ fontStyle: "normal" }}>
    {lines.map((line) => (
      <div key={line}>{line}</div>
    ))}
  </address>
);

function Charges({ found }: { found: Schemas["OrderView"] }) {
  return (
    <Section aria-labelledby="charges">
      <h2 id="charges">Charges</h2>
      {found.charges.length === 0 ? <p className="quiet">No money has moved.</p> : null}
      {found.transfers
        .filter((one) => one.state !== "matched")
        .map((one) => (
          <p key={one.id} className="quiet">
            {one.currency} {one.amount} came in by bank transfer from {one.payer || "somebody"}, and is set
            aside.
          </p>
        ))}
      {found.charges.map((charge) => (
        <p key={charge.reference}>
          <span className="money">
            {charge.currency} {charge.amount}
          </span>{" "}
          {found.paid_by ? `by ${found.paid_by}, ` : ""}
          {date(charge.at)}
          {found.card_from ? `. The card is from ${found.card_from}.` : ""}
          <br />
          <span className="quiet">
            {found.record ? (
              <>
                The gateway’s own record:{" "}
                <a className="mono" href={found.record} target="_blank" rel="noreferrer">
                  {charge.reference}
                </a>
              </>
            ) : (
              <>
                It is called <span className="mono">{charge.reference}</span>
              </>
            )}
          </span>
        </p>
      ))}
    </Section>
  );
}

const KINDS = { invoice: "Invoice", receipt: "Receipt", credit_note: "Credit note" } as const;

/** The papers that were given out, to keep. */
function PapersOf({ code, found }: { code: string; found: Schemas["OrderView"] }) {
  if (!found.papers.length) return null;
  const file = (number: string, kind: string) =>
    `/desk/api/sites/${code}/books/${found.mode}/paper.${kind}?number=${encodeURIComponent(number)}`;
  return (
    <Section aria-labelledby="papers">
      <h2 id="papers">Papers</h2>
      {found.papers.map((one) => (
        <div key={one.number}>
          <p>
            {KINDS[one.kind]} <span className="mono">{one.number}</span>:{" "}
            <a href={file(one.number, "pdf")} download>
              PDF
            </a>
            {one.no_ubl ? null : (
              <>
                ,{" "}
                <a href={file(one.number, "xml")} download>
                  UBL (EN 16931)
                </a>
              </>
            )}
          </p>
          {one.no_ubl ? <p className="quiet">Not as UBL. {one.no_ubl}</p> : null}
        </div>
      ))}
    </Section>
  );
}

function inWords(event: Schemas["EventView"]): string {
  const body = event.body as Record<string, string>;
  switch (event.kind) {
    case "order.placed":
      return `The order was placed: ${body.currency} ${body.amount}.`;
    case "charge.attempted":
      return `The gateway was asked to charge ${body.currency} ${body.amount}.`;
    case "charge.refused":
      return `The charge was refused: ${REASONS[body.reason ?? "other"] ?? body.reason}.`;
    case "charge.made":
      return `${body.currency} ${body.amount} was charged.`;
    case "order.paid":
      return "The order is paid.";
    case "order.waiting":
      return "The order stands, and waits for its money.";
    case "order.hold_ended":
      return "What was kept aside for the order went back on sale; it still waits for its money.";
    case "order.short":
      return body.coupon
        ? `It was paid when its coupon ${body.coupon} had been used by others as often as it can be.`
        : `It was paid when others had bought what was left of ${body.product}.`;
    case "order.refused":
      return `A limit refused the order: ${(body.reasons as unknown as string[]).join(" ")}`;
    case "order.paid_by_hand":
      return "Somebody marked it as paid.";
    case "order.given_up":
      return "Somebody decided that it will not be paid.";
    case "order.cancelled":
      return "The order is cancelled.";
    case "review.passed":
      return "Somebody looked through it and let it pass.";
    case "review.given_back":
      return "Somebody looked through it and gave it back.";
    case "dispute.opened":
      return `The buyer disputes ${body.currency} ${body.amount} at their bank.`;
    case "dispute.won":
      return `The dispute about ${body.currency} ${body.amount} was decided for the shop.`;
    case "dispute.lost":
      return `The dispute about ${body.currency} ${body.amount} was lost; the money has gone back.`;
    case "refund.asked":
      return `The gateway was asked to give back ${body.currency} ${body.amount}.`;
    case "refund.made":
      return `${body.currency} ${body.amount} was given back.`;
    case "refund.refused":
      return `The gateway refused to give ${body.currency} ${body.amount} back.`;
    case "refund.contradicted":
    case "charge.contradicted":
      return `The gateway's books and ours differ: ${body.why}. Somebody has to look.`;
    default:
      return event.kind;
  }
}
