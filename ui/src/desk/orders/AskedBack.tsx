// What buyers have said that they give back: looked after one by one, beside the order that it is of.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";

import { api, data, fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Field } from "../../kit/fields/Field";
import { whenInFull } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { askedBack, refresh, type Mode } from "../queries";
import { Books } from "../room/BookList";
import { To } from "../room/places";
import { useRole } from "../room/role";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";

export function AskedBack() {
  const { site: code = "", mode: named } = useParams();
  const mode: Mode = named === "live" ? "live" : "test";
  const asked = useQuery(askedBack(code, mode));
  return (
    <WithRooms>
      <OrderRooms />
      <Sheet tabIndex={-1} aria-label="Asked back">
        <Body>
          <header>
            <h1>Asked back {mode === "test" ? <Stamp /> : null}</h1>
            <Books code={code} room="asked-back" wide />
          </header>
          {!asked.data ? (
            <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />
          ) : asked.data.length ? (
            asked.data.map((one) => <One key={one.id} code={code} mode={mode} of={one} />)
          ) : (
            <Empty title="Nothing is asked back">
              Buyers say at the account page, signed in or not, that they give something back or withdraw. It
              comes to lie here.
            </Empty>
          )}
        </Body>
      </Sheet>
    </WithRooms>
  );
}

interface OneProps {
  code: string;
  mode: Mode;
  of: Schemas["AskedBackView"];
}

function One({ code, mode, of }: OneProps) {
  const { mayWord } = useRole(code);
  const name = `asked-back-${of.id}`;
  return (
    <Section aria-labelledby={name}>
      <h2 id={name}>
        {of.name}
        {of.state === "open" ? "" : of.state === "done" ? ", done" : ", declined"}
      </h2>
      <p className="quiet">
        <span className="mono">{of.code}</span>, {whenInFull(of.at)}, {of.email}
      </p>
      <p>
        {of.what}
        {of.words ? (
          <>
            <br />
            <span className="quiet">“{of.words}”</span>
          </>
        ) : null}
      </p>
      <p>
        {of.order ? (
          <>
            Of the order{" "}
            <To to={`/s/${code}/orders/${mode}/${of.order}`}>
              <span className="mono">{of.order}</span>
            </To>
            , where money is given back.
          </>
        ) : (
          `No order fits${of.typed_order ? ` “${of.typed_order}”` : ""} and this address: look for it by name at Orders.`
        )}
      </p>
      {of.state !== "open" ? (
        <p className="quiet">
          {of.decided_by ?? "Somebody"} {of.state === "done" ? "looked after it" : "declined it"},{" "}
          {whenInFull(of.decided_at ?? of.at)}.{of.answer ? ` “${of.answer}”` : ""}
        </p>
      ) : mayWord ? (
        <Deciding code={code} mode={mode} of={of} />
      ) : null}
    </Section>
  );
}

function Deciding({ code, mode, of }: OneProps) {
  const queries = useQueryClient();
  const [declining, setDeclining] = useState(false);
  const [answer, setAnswer] = useState("");
  const decide = useMutation({
    mutationFn: (state: "done" | "declined") =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/give-backs/{row}", {
          params: { path: { site: code, mode, row: of.id } },
          body: { state, answer: state === "declined" ? answer : "" },
        }),
      ),
    onSuccess: () => refresh(queries, code),
  });
  const wrong = fieldProblem(decide.error, "answer") ?? fieldProblem(decide.error, "");
  return (
    <div>
      {declining ? (
        <>
          <Field
            label="Why it is not taken back"
            hint={of.order ? "The buyer is mailed this." : "No order is known, so no mail goes out."}
            lines
            value={answer}
            problem={wrong}
            onChange={setAnswer}
          />
          <Button isPending={decide.isPending} onPress={() => decide.mutate("declined")}>
            Decline it
          </Button>{" "}
          <Button look="plain" onPress={() => setDeclining(false)}>
            Not now
          </Button>
        </>
      ) : (
        <>
          <Button isPending={decide.isPending} onPress={() => decide.mutate("done")}>
            It is done
          </Button>{" "}
          <Button look="plain" onPress={() => setDeclining(true)}>
            Decline …
          </Button>
        </>
      )}
      {decide.error && !wrong ? <Notice kind="error">{decide.error.message}</Notice> : null}
    </div>
  );
}
