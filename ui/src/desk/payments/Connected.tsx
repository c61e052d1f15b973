// One connection: its account, whether it answers, and ending it.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, useEffect } from "react";
import { styled } from "styled-components";
import { type Schemas, data, api } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { when } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { Stamp } from "../../kit/Stamp";
import { type Mode, refresh } from "../queries";
import { useRole } from "../room/role";
import { Comparison } from "./Comparison";
import { ConnectForm } from "./ConnectForm";
import { BY_PERSON } from "./gateways";

const Connection = styled.div`
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  h2 {
    display: flex;
    gap: 10px;
    align-items: center;
  }
  form {
    display: flex;
    flex-direction: column;
    gap: 12px;
    align-items: stretch;
    max-width: 420px;
  }
  form > div:last-child {
    display: flex;
    gap: 8px;
  }
`;

interface Props {
  code: string;
  adapter: string;
  mode: Mode;
  authorises: boolean;
  connection: Schemas["ConnectionView"] | undefined;
}

export function ModeConnection({ code, adapter, mode, authorises, connection }: Props) {
  const [changing, setChanging] = useState(false);
  const title = mode === "test" ? "Test" : "Live";
  return (
    <Connection>
      <h2>
        {title} {mode === "test" ? <Stamp /> : null}
      </h2>
      {connection && !changing ? (
        <Connected code={code} adapter={adapter} connection={connection} change={() => setChanging(true)} />
      ) : (
        <ConnectForm
          code={code}
          adapter={adapter}
          mode={mode}
          authorises={authorises}
          done={connection ? () => setChanging(false) : undefined}
        />
      )}
    </Connection>
  );
}

function Connected({
  code,
  adapter,
  connection,
  change,
}: {
  code: string;
  adapter: string;
  connection: Schemas["ConnectionView"];
  change: () => void;
}) {
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/connections/{connection}/questions", {
          params: { path: { site: code, connection: connection.id } },
        }),
      ),
  });
  const { mutate } = asked;
  const { mayConfigure } = useRole(code);
  const byPerson = BY_PERSON.includes(adapter);
  useEffect(() => {
    if (!byPerson) mutate();
  }, [mutate, connection.id, byPerson]);
  const answer = asked.data;
  return (
    <>
      <p>
        {connection.details.iban ? (
          <>
            Buyers pay to <strong>{connection.details.holder}</strong>,{" "}
            <span className="mono">{connection.details.iban}</span>
            {connection.details.bic ? `, ${connection.details.bic}` : ""}, since{" "}
            {when(connection.connected_at)}.
          </>
        ) : byPerson ? (
          <>Turned on since {when(connection.connected_at)}.</>
        ) : (
          <>
            Connected as <strong>{connection.merchant}</strong> since {when(connection.connected_at)}. It
            takes {connection.currencies.join(", ")}.
            {connection.pays_out
              ? ""
              : " It cannot be paid out yet: finish setting the account up on its page."}
          </>
        )}
      </p>
      {asked.isPending && !byPerson ? <p className="quiet">Asking whether it answers …</p> : null}
      {answer && !byPerson ? (
        <p role="status">
          {answer.answers ? "✓ It answers." : (answer.problem ?? "It does not answer.")}{" "}
          <span className="quiet">
            Asked {when(answer.asked_at)}.{" "}
            {answer.last_event_at
              ? `Its last event came ${when(answer.last_event_at)}.`
              : "It has sent no event yet."}
          </span>
        </p>
      ) : null}
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      {byPerson ? null : <Comparison code={code} connection={connection.id} />}
      <div>
        {byPerson ? null : <Button onPress={() => mutate()}>Ask again</Button>}{" "}
        {mayConfigure && (!byPerson || connection.details.iban) ? (
          <Button look="plain" onPress={change}>
            {byPerson ? "Use another account" : "Use other keys"}
          </Button>
        ) : null}
      </div>
      {mayConfigure ? <Disconnect code={code} connection={connection} /> : null}
    </>
  );
}

/** Ends a connection, after saying what stops working and what does not. */
function Disconnect({ code, connection }: { code: string; connection: Schemas["ConnectionView"] }) {
  const queries = useQueryClient();
  const end = useMutation({
    mutationFn: () =>
      data(
        api.DELETE("/desk/api/sites/{site}/connections/{connection}", {
          params: { path: { site: code, connection: connection.id } },
        }),
      ),
    onSuccess: () => refresh(queries, code),
  });
  const who = connection.mode === "test" ? "Test buyers" : "Real buyers";
  const waiting = connection.waiting
    ? ` ${connection.waiting} ${connection.waiting === 1 ? "charge is" : "charges are"} still asked about, and will be.`
    : "";
  return (
    <div>
      <Confirm
        look="plain"
        question={`${who} cannot pay with it until it is connected again. What was paid stays, and can still be given back.${waiting} Disconnect it?`}
        sure={`Disconnect for ${connection.mode}`}
        isPending={end.isPending}
        onConfirm={() => end.mutate()}
      >
        Disconnect
      </Confirm>
      {end.error ? <Notice kind="error">{end.error.message}</Notice> : null}
    </div>
  );
}
