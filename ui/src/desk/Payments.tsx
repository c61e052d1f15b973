import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Form } from "react-aria-components";
import { useParams } from "react-router";
import { styled } from "styled-components";

import { api, data, fieldProblem, type Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Confirm } from "../kit/Confirm";
import { Field } from "../kit/Field";
import { Notice } from "../kit/Notice";
import { Body, Row, Section, Sheet } from "../kit/Sheet";
import { Stamp } from "../kit/Stamp";
import { when } from "../kit/when";
import { Waiting } from "./Waiting";
import { comparison, gateways, refresh, type Mode } from "./queries";
import { useRole } from "./role";

const ABILITIES: Record<string, [can: string, cannot: string]> = {
  card_on_file: ["keeps a card on file", "does not keep cards on file"],
  recurring: ["charges again without the buyer", "does not charge again without the buyer"],
  off_site: ["sends the buyer to its own site", "does not send the buyer elsewhere"],
  confirms_later: ["may confirm days later", "confirms at once"],
  partial_refund: ["refunds in part", "refunds only the whole"],
  buyer_approval: ["asks for the bank's approval", "does not ask for the bank's approval"],
};

const Abilities = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 4px 24px;
  li {
    display: flex;
    gap: 8px;
  }
  li.cannot {
    color: var(--pencil);
  }
  b {
    font-family: var(--mono);
    flex: 0 0 1em;
  }
`;

const Connection = styled.div`
  display: flex;
  flex-direction: column;
  gap: 10px;
  min-width: 0;
  h3 {
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

/** The stage Payments: each gateway with its abilities, connected for test and for live. */
export function Payments() {
  const { site: code = "" } = useParams();
  const asked = useQuery(gateways(code));
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <Sheet tabIndex={-1} aria-label="Payments">
      <Body>
        {asked.data.map((gateway) => (
          <Gateway key={gateway.adapter} code={code} gateway={gateway} />
        ))}
      </Body>
    </Sheet>
  );
}

function Gateway({ code, gateway }: { code: string; gateway: Schemas["GatewayView"] }) {
  return (
    <>
      <header>
        <h1>{gateway.name}</h1>
        <p className="quiet">
          A simulated card service that ships with Skurrow. No money moves in it.{" "}
          <a href={gateway.page} target="_blank" rel="noreferrer">
            Its keys and test cards
          </a>
        </p>
      </header>
      <Section aria-labelledby="abilities">
        <h2 id="abilities">What it can do</h2>
        <Abilities>
          {Object.entries(gateway.abilities).map(([name, can]) => (
            <li key={name} className={can ? "can" : "cannot"}>
              <b aria-hidden="true">{can ? "✓" : "–"}</b>
              <span>{ABILITIES[name]?.[can ? 0 : 1] ?? name}</span>
            </li>
          ))}
        </Abilities>
        {gateway.fee_percent ? (
          <p className="quiet">
            A charge costs {gateway.fee_percent} % and {gateway.fee_fixed}:{" "}
            <span className="money">{gateway.fee_example}</span> of <span className="money">50.00</span>.
          </p>
        ) : null}
      </Section>
      <Section aria-label="Connections">
        <Row>
          {(["test", "live"] as const).map((mode) => (
            <ModeConnection
              key={mode}
              code={code}
              adapter={gateway.adapter}
              mode={mode}
              connection={gateway.connections.find((one) => one.mode === mode)}
            />
          ))}
        </Row>
      </Section>
    </>
  );
}

interface Props {
  code: string;
  adapter: string;
  mode: Mode;
  connection: Schemas["ConnectionView"] | undefined;
}

function ModeConnection({ code, adapter, mode, connection }: Props) {
  const [changing, setChanging] = useState(false);
  const title = mode === "test" ? "Test" : "Live";
  return (
    <Connection>
      <h3>
        {title} {mode === "test" ? <Stamp /> : null}
      </h3>
      {connection && !changing ? (
        <Connected code={code} connection={connection} change={() => setChanging(true)} />
      ) : (
        <ConnectForm
          code={code}
          adapter={adapter}
          mode={mode}
          done={connection ? () => setChanging(false) : undefined}
        />
      )}
    </Connection>
  );
}

function Connected({
  code,
  connection,
  change,
}: {
  code: string;
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
  useEffect(() => mutate(), [mutate, connection.id]);
  const answer = asked.data;
  return (
    <>
      <p>
        Connected as <strong>{connection.merchant}</strong> since {when(connection.connected_at)}. It takes{" "}
        {connection.currencies.join(", ")}.
      </p>
      {asked.isPending ? <p className="quiet">Asking whether it answers …</p> : null}
      {answer ? (
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
      <Comparison code={code} connection={connection.id} />
      <div>
        <Button onPress={() => mutate()}>Ask again</Button>{" "}
        {mayConfigure ? (
          <Button look="plain" onPress={change}>
            Use other keys
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
        question={`${who} cannot pay until a gateway is connected again. What was paid stays, and can still be given back.${waiting} Disconnect it?`}
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

const DIFFERENCES = {
  only_there: "is in the gateway’s books and not in ours",
  only_here: "is in our books and not in the gateway’s",
  amount: "has another amount there",
} as const;

/** What came of comparing our books with the gateway's: every night, and when somebody presses. */
function Comparison({ code, connection }: { code: string; connection: string }) {
  const queries = useQueryClient();
  const { mayConfigure } = useRole(code);
  const found = useQuery(comparison(code, connection)).data;
  const compare = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/connections/{connection}/comparisons", {
          params: { path: { site: code, connection } },
        }),
      ),
    onSuccess: () => refresh(queries, code, "comparison", connection),
  });
  const movements = found?.entries === 1 ? "1 movement" : `${found?.entries ?? 0} movements`;
  return (
    <>
      {found ? (
        <p>
          Books compared {when(found.at)}: {movements} of money since {when(found.since)}
          {found.differences.length ? "." : ", and both sides agree."}
        </p>
      ) : (
        <p className="quiet">The books are compared every night.</p>
      )}
      {found?.differences.length ? (
        <Notice kind="error" title="The books differ. Somebody has to look.">
          <ul>
            {found.differences.map((one) => (
              <li key={`${one.kind} ${one.key}`}>
                A {one.kind} of {one.currency} {one.ours ?? one.theirs} {DIFFERENCES[one.code]}
                {one.code === "amount" ? `: ${one.theirs}` : ""}
                {one.order ? `, order ${one.order}` : ""} (<span className="mono">{one.key}</span>).
              </li>
            ))}
          </ul>
        </Notice>
      ) : null}
      {compare.error ? <Notice kind="error">{compare.error.message}</Notice> : null}
      {mayConfigure ? (
        <div>
          <Button look="plain" isPending={compare.isPending} onPress={() => compare.mutate()}>
            Compare the books now
          </Button>
        </div>
      ) : null}
    </>
  );
}

function ConnectForm({
  code,
  adapter,
  mode,
  done,
}: {
  code: string;
  adapter: string;
  mode: Mode;
  done: (() => void) | undefined;
}) {
  const [merchant, setMerchant] = useState("");
  const [key, setKey] = useState("");
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/gateways/{adapter}/connections", {
          params: { path: { site: code, adapter } },
          body: { mode, merchant, key },
        }),
      ),
    onSuccess: async () => {
      setKey("");
      await refresh(queries, code);
      done?.();
    },
  });
  const { mayConfigure } = useRole(code);
  if (!mayConfigure)
    return <p className="quiet">Not connected for {mode}. A developer of the site connects it.</p>;
  const keyProblem = fieldProblem(asked.error, "key");
  const merchantProblem = fieldProblem(asked.error, "merchant");
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        asked.mutate();
      }}
    >
      <p className="quiet">
        {mode === "test"
          ? "Paste what its page shows for test mode."
          : "Real buyers can pay once this is connected, a release is made, and the site is opened for them."}
      </p>
      {asked.error && !keyProblem && !merchantProblem ? (
        <Notice kind="error">{asked.error.message}</Notice>
      ) : null}
      <Field
        label="Merchant"
        autoComplete="off"
        value={merchant}
        onChange={setMerchant}
        problem={merchantProblem}
      />
      <Field
        label={`Key for ${mode} mode`}
        type="password"
        autoComplete="off"
        value={key}
        onChange={setKey}
        problem={keyProblem}
      />
      <div>
        <Button type="submit" look="main" isPending={asked.isPending} isDisabled={!merchant || !key}>
          {mode === "test" ? "Connect for test" : "Connect for live"}
        </Button>
        {done ? <Button onPress={done}>Keep the present keys</Button> : null}
      </div>
    </Form>
  );
}
