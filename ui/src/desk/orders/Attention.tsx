// What of an order waits for a person: a decision, money, an answer to a bank.
import { useQueryClient, useMutation } from "@tanstack/react-query";
import { type Schemas, data, api } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Notice } from "../../kit/Notice";
import { type Mode, refresh } from "../queries";
import { To } from "../room/places";
import { useRole } from "../room/role";
import { QUESTIONED } from "./orderWords";
import { whenInFull } from "../../kit/format/when";

/** Why the order is held, and what a person can do. */
export function Held({
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
        {whenInFull(review.decided_at ?? review.at)}.
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
export function Awaited({
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

/** What the buyer has said that they give back, until somebody has looked after it. */
export function GivingBack({ code, mode, found }: { code: string; mode: Mode; found: Schemas["OrderView"] }) {
  const open = new Set<unknown>();
  for (const { kind, body } of found.events) {
    if (kind === "order.asked_back") open.add(body.code);
    if (kind.startsWith("order.give_back_")) open.delete(body.code);
  }
  if (!open.size) return null;
  return (
    <Notice kind="attention" title="The buyer gives something back">
      <To to={`/s/${code}/asked-back/${mode}`}>Asked back</To> says what. Give the money back below, then say
      there that it is done.
    </Notice>
  );
}

/** What the buyer has questioned at their bank, and how that was decided. */
export function Disputed({ of }: { of: Schemas["DisputeView"] }) {
  const money = `${of.currency} ${of.amount}`;
  const why = QUESTIONED[of.reason] ?? of.reason;
  if (of.state === "won")
    return (
      <Notice kind="information" title={`The dispute about ${money} was decided for you`}>
        The money stays where it is. Decided {whenInFull(of.decided_at ?? of.opened_at)}.
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
        ? `Since ${whenInFull(of.opened_at)}: ${why}. Answer it at the gateway, where it is called ${of.reference}. Until it is decided nothing can be given back here.`
        : `Decided ${whenInFull(of.decided_at ?? of.opened_at)}: ${why}.`}
    </Notice>
  );
}
