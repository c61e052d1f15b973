// Giving money back: what was, and a form for more, line by line, with what it comes to reckoned by the server.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";

import { api, data, fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Section, Table } from "../../kit/Sheet";
import { when } from "../../kit/format/when";
import { refresh, refundable, type Mode } from "../queries";
import { useRole } from "../room/role";

const REFUSED: Record<string, string> = {
  too_late: "the gateway gives nothing back any more",
  too_much: "the gateway says that less is left of the charge",
  not_possible: "the card or account takes nothing back",
  not_accepted: "the gateway no longer accepts the key; connect it again under Payments",
  other: "the gateway gave no reason",
};

interface Props {
  code: string;
  mode: Mode;
  found: Schemas["OrderView"];
}

/** What was given back of an order, and the form for giving back. */
export function Refunds({ code, mode, found }: Props) {
  const [open, setOpen] = useState(false);
  const { mayWord } = useRole(code);
  const paid = found.charges.length > 0;
  if (!paid) return null;
  return (
    <Section aria-labelledby="refunds">
      <h2 id="refunds">Given back</h2>
      {found.refunds.length === 0 ? <p className="quiet">Nothing so far.</p> : null}
      {found.refunds.map((one) => (
        <p key={one.id}>
          <span className="money">
            {one.currency} {one.amount}
          </span>{" "}
          for {one.what}, {inWords(one)}.{one.note ? ` “${one.note}”` : ""}
          {one.reference ? (
            <>
              <br />
              <span className="quiet">
                The gateway calls it <span className="mono">{one.reference}</span>
              </span>
            </>
          ) : null}
        </p>
      ))}
      {!mayWord ? null : open ? (
        <RefundForm code={code} mode={mode} found={found} done={() => setOpen(false)} />
      ) : (
        <div>
          <Button onPress={() => setOpen(true)}>Give money back</Button>
        </div>
      )}
    </Section>
  );
}

function inWords(one: Schemas["RefundView"]): string {
  if (one.state === "made") return `given back ${when(one.closed_at ?? one.opened_at)}`;
  if (one.state === "open") return "and the gateway has not said yet whether it went; it is asked by itself";
  return `refused: ${REFUSED[one.reason ?? "other"] ?? one.reason}`;
}

type Typed = Record<string, { amount: string; pieces: string }>;

function RefundForm({ code, mode, found, done }: Props & { done: () => void }) {
  const asked = useQuery(refundable(code, mode, found.code));
  const [typed, setTyped] = useState<Typed>({});
  const [note, setNote] = useState("");
  // One form is one refund, however often it is sent.
  const [askedAs] = useState(() => crypto.randomUUID());
  const queries = useQueryClient();
  const path = { site: code, mode, code: found.code };
  const parts = (asked.data?.parts ?? []).flatMap((part) => {
    const one = typed[keyOf(part)];
    return one?.amount.trim()
      ? [{ line: part.line, amount: one.amount.trim(), put_back: Number(one.pieces) || 0 }]
      : [];
  });
  const preview = useMutation({
    mutationFn: (body: Schemas["RefundPreviewRequest"]) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/orders/{code}/refund-preview", {
          params: { path },
          body,
        }),
      ),
  });
  const { mutate, reset } = preview;
  const told = JSON.stringify(parts);
  useEffect(() => {
    const wanted = JSON.parse(told) as Schemas["RefundPart"][];
    if (!wanted.length) {
      reset();
      return;
    }
    const soon = setTimeout(() => mutate({ parts: wanted }), 200);
    return () => clearTimeout(soon);
  }, [told, mutate, reset]);
  const give = useMutation({
    mutationFn: (expected: string) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/orders/{code}/refunds", {
          params: { path },
          body: { parts, note, asked_as: askedAs, expected },
        }),
      ),
    onSuccess: async () => {
      await refresh(queries, code, "orders");
      done();
    },
    onError: () => refresh(queries, code, "orders"),
  });
  if (!asked.data) return <p className="quiet">One moment …</p>;
  const { currency } = asked.data;
  const left = asked.data.parts.filter((part) => !part.nothing_left);
  if (!left.length)
    return (
      <p className="quiet">
        Everything was given back. <Button onPress={done}>Close</Button>
      </p>
    );
  const set = (part: Schemas["RefundablePart"], change: Partial<Typed[string]>) =>
    setTyped((old) => ({
      ...old,
      [keyOf(part)]: { amount: "", pieces: "0", ...old[keyOf(part)], ...change },
    }));
  const problemOf = (part: Schemas["RefundablePart"], name: string) => {
    const at = parts.findIndex((one) => one.line === part.line);
    return at < 0
      ? undefined
      : (fieldProblem(preview.error, `parts[${at}].${name}`) ??
          fieldProblem(give.error, `parts[${at}].${name}`));
  };
  const countless = Object.values(typed).some((one) => !/^\d*$/.test(one.pieces.trim()));
  const reckoned =
    !countless && parts.length && !preview.error && !preview.isPending ? preview.data : undefined;
  return (
    <div style={{ display: "flex", flexDirection: "column", gap: 12 }}>
      <Parts currency={currency} left={left} typed={typed} problem={problemOf} set={set} />
      <div>
        <Button
          onPress={() =>
            left.forEach((part) => set(part, { amount: part.left, pieces: String(part.pieces) }))
          }
        >
          Everything that is left
        </Button>
      </div>
      <Field label="Why, for your books" value={note} onChange={setNote} />
      {give.error && !fieldProblem(give.error, "parts") ? (
        <Notice kind="error">{give.error.message}</Notice>
      ) : null}
      <p role="status">
        {reckoned ? (
          <>
            <strong>
              {reckoned.currency} {reckoned.amount}
            </strong>{" "}
            goes back, with {reckoned.tax} tax in it, and a credit note is written.
          </>
        ) : (
          <span className="quiet">Type what is to be given back.</span>
        )}
      </p>
      <div style={{ display: "flex", gap: 8, flexWrap: "wrap" }}>
        <Confirm
          question={reckoned ? `Give ${reckoned.currency} ${reckoned.amount} back to ${found.name}?` : ""}
          sure="Give it back"
          isPending={give.isPending}
          isDisabled={!reckoned}
          onConfirm={() => (reckoned ? give.mutate(reckoned.amount) : undefined)}
        >
          {reckoned ? `Give back ${reckoned.currency} ${reckoned.amount}` : "Give back"}
        </Confirm>
        <Button look="plain" onPress={done}>
          Leave it
        </Button>
      </div>
    </div>
  );
}

/** What can be given back, line by line: how much of it, and how many pieces go back into stock. */
function Parts({
  currency,
  left,
  typed,
  problem,
  set,
}: {
  currency: string;
  left: Schemas["RefundablePart"][];
  typed: Typed;
  problem: (part: Schemas["RefundablePart"], name: string) => string | undefined;
  set: (part: Schemas["RefundablePart"], change: Partial<Typed[string]>) => void;
}) {
  const counted = left.some((part) => part.pieces > 0);
  return (
    <Table>
      <thead>
        <tr>
          <th scope="col">What</th>
          <th scope="col" style={{ width: 150 }}>
            {currency} to give back
          </th>
          {counted ? (
            <th scope="col" style={{ width: 120 }}>
              back into stock
            </th>
          ) : null}
        </tr>
      </thead>
      <tbody>
        {left.map((part) => (
          <tr key={keyOf(part)}>
            <th scope="row">
              {part.name}
              <div className="quiet" style={{ fontWeight: 400 }}>
                {part.left} left
                {part.until
                  ? part.late
                    ? `; promised until ${part.until}, which is over`
                    : `; promised until ${part.until}`
                  : ""}
              </div>
            </th>
            <td>
              <Field
                bare
                currency={currency}
                label={`Amount of ${part.name}`}
                value={typed[keyOf(part)]?.amount ?? ""}
                placeholder="0"
                problem={problem(part, "amount")}
                onChange={(amount) => set(part, { amount })}
              />
            </td>
            {counted ? (
              <td>
                {part.pieces > 0 ? (
                  <Field
                    bare
                    amount
                    label={`Pieces of ${part.name} back into stock`}
                    value={typed[keyOf(part)]?.pieces ?? "0"}
                    problem={
                      /^\d*$/.test(typed[keyOf(part)]?.pieces.trim() ?? "")
                        ? problem(part, "put_back")
                        : "Write a whole number"
                    }
                    onChange={(pieces) => set(part, { pieces })}
                  />
                ) : null}
              </td>
            ) : null}
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

const keyOf = (part: { line: number | null }) => (part.line === null ? "delivery" : String(part.line));
