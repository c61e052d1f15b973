// Bank transfers: statements are uploaded, each payment finds its order, and the rest is looked at by a person.
import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { FileTrigger } from "react-aria-components";
import { Navigate, useParams } from "react-router";
import { styled } from "styled-components";

import { api, data, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { when } from "../../kit/format/when";
import { Books } from "../room/BookList";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { To, useTo } from "../room/places";
import { refresh, transfers as transfersOf, type Mode } from "../queries";
import { useRole } from "../room/role";

type Line = Schemas["TransferLine"];

const Entry = styled.article`
  border-top: 1px solid var(--hairline);
  padding: 12px 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
  p.text {
    font: 14px/1.5 var(--mono);
    overflow-wrap: anywhere;
  }
  form {
    display: flex;
    flex-wrap: wrap;
    gap: 10px;
    align-items: end;
  }
`;

/** Why a person has to look, and what can be done. */
const WHY: Record<string, [why: string, what: string]> = {
  under: [
    "It is too little",
    "Ask the buyer for the rest: when it comes, both together pay the order. Or give it back.",
  ],
  over: ["It is too much", "Take it as the payment, and give back what is too much. Or give all of it back."],
  double: ["The order was paid before", "Give it back."],
  unknown: ["No order is named", "Say which order it is for. Or it is none of the shop’s sales."],
  late: ["The order does not wait any more", "Give it back, or let the buyer order again."],
  currency: ["It is in another currency than the order", "Give it back, or ask your bank."],
};

export function Transfers() {
  const { site: code = "", mode } = useParams();
  const place = useTo();
  const book: Mode = mode === "live" ? "live" : "test";
  const [shown, setShown] = useState<"aside" | "all">("aside");
  const asked = useInfiniteQuery(transfersOf(code, book, shown === "aside"));
  if (mode === undefined) return <Navigate to={place(`/s/${code}/transfers/test`)} replace />;
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const lines = asked.data.pages.flatMap((page) => page.transfers);
  const statements = asked.data.pages[0]?.statements ?? [];
  return (
    <WithRooms>
      <OrderRooms />
      <Sheet tabIndex={-1} aria-label="Bank transfers">
        <Body>
          <header>
            <h1>Bank transfers {book === "test" ? <Stamp /> : null}</h1>
            <Books code={code} room="transfers" wide />
          </header>
          <Upload code={code} mode={book} />
          {statements.length ? (
            <Section aria-labelledby="statements">
              <h2 id="statements">Statements</h2>
              <Table>
                <tbody>
                  {statements.map((one) => (
                    <tr key={one.at}>
                      <th scope="row">{one.name || "A statement"}</th>
                      <td className="pencil">{one.format}</td>
                      <td className="pencil">{when(one.at)}</td>
                      <td className="amount">
                        {one.new_entries} new of {one.entries}
                      </td>
                    </tr>
                  ))}
                </tbody>
              </Table>
            </Section>
          ) : null}
          <Section aria-label="What came in">
            <div style={{ maxWidth: 280 }}>
              <Choice
                label="Show"
                value={shown}
                options={[
                  ["aside", "What a person has to look at"],
                  ["all", "Everything that came in"],
                ]}
                onChange={setShown}
              />
            </div>
            {lines.length ? null : (
              <p className="quiet">
                {shown === "aside"
                  ? "Nothing has to be looked at."
                  : "Nothing has come in yet. Upload a statement of your account."}
              </p>
            )}
            {lines.map((line) => (
              <Shown key={line.id} code={code} mode={book} line={line} />
            ))}
            {asked.hasNextPage ? (
              <div>
                <Button isPending={asked.isFetchingNextPage} onPress={() => void asked.fetchNextPage()}>
                  Show more
                </Button>
              </div>
            ) : null}
          </Section>
        </Body>
      </Sheet>
    </WithRooms>
  );
}

function Upload({ code, mode }: { code: string; mode: Mode }) {
  const queries = useQueryClient();
  const { mayWord } = useRole(code);
  const upload = useMutation({
    mutationFn: (file: File) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/statements", {
          params: { path: { site: code, mode }, query: { name: file.name } },
          body: file as never,
          bodySerializer: (body: unknown) => body as File,
          headers: { "Content-Type": "application/octet-stream" },
        }),
      ),
    onSuccess: () => refresh(queries, code),
  });
  const done = upload.data;
  if (!mayWord) return null;
  return (
    <div style={{ display: "flex", flexDirection: "column", gap: 10 }}>
      <p>
        Upload your bank’s statements as camt.053 or MT940. A payment counts once, however often it is in one.
      </p>
      <div>
        <FileTrigger
          acceptedFileTypes={[".xml", ".sta", ".mt940", ".940", ".txt"]}
          onSelect={(files) => {
            const file = files?.[0];
            if (file) upload.mutate(file);
          }}
        >
          <Button look="main" isPending={upload.isPending}>
            Upload a statement
          </Button>
        </FileTrigger>
      </div>
      {upload.error ? <Notice kind="error">{upload.error.message}</Notice> : null}
      {done ? (
        <Notice
          kind={done.aside ? "attention" : "information"}
          title={`${done.matched} ${done.matched === 1 ? "order was" : "orders were"} paid by it`}
        >
          {done.entries} {done.entries === 1 ? "payment" : "payments"} in the {done.format} statement,{" "}
          {done.new} not known before
          {done.aside ? `; ${done.aside} of them a person has to look at` : ""}.
        </Notice>
      ) : null}
    </div>
  );
}

function Shown({ code, mode, line }: { code: string; mode: Mode; line: Line }) {
  const [why, what] = WHY[line.reason ?? ""] ?? ["", ""];
  return (
    <Entry aria-label={`${line.currency} ${line.amount} from ${line.payer || "somebody"}`}>
      <div>
        <strong className="money">
          {line.currency} {line.amount}
        </strong>{" "}
        from {line.payer || "somebody"}
        {line.payer_account ? (
          <>
            , <span className="mono">{line.payer_account}</span>
          </>
        ) : null}
        , {new Date(line.booked_on).toLocaleDateString("en-GB", { dateStyle: "long", timeZone: "UTC" })}
        {line.order ? (
          <>
            , order <To to={`/s/${code}/orders/${mode}/${line.order}`}>{line.order}</To>
          </>
        ) : null}
      </div>
      <p className="text">{line.text || "no text"}</p>
      {line.state === "aside" ? (
        <>
          <p>
            <strong>{why}.</strong> {what}
          </p>
          <Decide code={code} mode={mode} line={line} />
        </>
      ) : (
        <p className="quiet">
          {line.state === "matched" ? "It has paid its order." : "Done with."}
          {line.decided_by ? ` ${line.decided_by}, ${when(line.decided_at ?? "")}.` : ""} {line.note}
        </p>
      )}
    </Entry>
  );
}

function Decide({ code, mode, line }: { code: string; mode: Mode; line: Line }) {
  const queries = useQueryClient();
  const { mayWord } = useRole(code);
  const [order, setOrder] = useState(line.order ?? "");
  const [note, setNote] = useState("");
  const decide = useMutation({
    mutationFn: (decision: "take" | "done") =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/transfers/{transfer}/decision", {
          params: { path: { site: code, mode, transfer: line.id } },
          body: { decision, order: order.trim() || null, note },
        }),
      ),
    onSuccess: () => refresh(queries, code),
  });
  if (!mayWord) return null;
  const takes = line.reason === "over" || line.reason === "unknown" || line.reason === "under";
  return (
    <>
      {decide.error ? <Notice kind="error">{decide.error.message}</Notice> : null}
      <form onSubmit={(event) => event.preventDefault()}>
        {takes ? <Field label="Order" value={order} onChange={setOrder} /> : null}
        <Field label="Note" value={note} onChange={setNote} />
        {takes ? (
          <Button
            isPending={decide.isPending && decide.variables === "take"}
            onPress={() => decide.mutate("take")}
          >
            It pays this order
          </Button>
        ) : null}
        <Button
          look="plain"
          isPending={decide.isPending && decide.variables === "done"}
          onPress={() => decide.mutate("done")}
        >
          Done with it
        </Button>
      </form>
    </>
  );
}
