import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Form } from "react-aria-components";
import { useParams } from "react-router";
import { styled } from "styled-components";

import { api, data, fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Row, Section, Sheet, Side, SideLink } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { when } from "../../kit/format/when";
import { PaymentRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { To, useTo } from "../room/places";
import { comparison, gateways, refresh, type Mode } from "../queries";
import { useRole } from "../room/role";

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

/** The stage Payments: the gateways there are, and one of them with its connections. */
export function Payments() {
  const { site: code = "", adapter } = useParams();
  const place = useTo();
  const asked = useQuery(gateways(code));
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const chosen = asked.data.find((one) => one.adapter === adapter) ?? asked.data[0];
  return (
    <WithRooms>
      <PaymentRooms />
      <Sheet tabIndex={-1} aria-label="Payments">
        <Side aria-label="Gateways">
          <ul>
            {asked.data.map((one) => (
              <li key={one.adapter}>
                <SideLink
                  to={place(`/s/${code}/payments/${one.adapter}`)}
                  className={one === chosen ? "active" : ""}
                  aria-current={one === chosen ? "page" : undefined}
                >
                  <strong>{one.name}</strong>
                  <span>{standing(one)}</span>
                </SideLink>
              </li>
            ))}
          </ul>
        </Side>
        {chosen ? (
          <Body>
            <Gateway key={chosen.adapter} code={code} gateway={chosen} />
          </Body>
        ) : null}
      </Sheet>
    </WithRooms>
  );
}

function standing(gateway: Schemas["GatewayView"]): string {
  const modes = gateway.connections.map((one) => one.mode);
  const how = modes.length ? [...modes].sort().reverse().join(" and ") : "not connected";
  return modes.length && !gateway.offered ? `${how}, not offered` : how;
}

const ABOUT: Record<string, string> = {
  "standin-cards": "A simulated card service that ships with Skurrow. No money moves in it.",
  "standin-wallet": "A simulated wallet that ships with Skurrow. No money moves in it.",
  "standin-debit": "A simulated direct debit that ships with Skurrow. No money moves in it.",
  transfer: "Buyers pay into your bank account. You upload its statements, and each payment finds its order.",
  invoice: "Buyers get an invoice and pay later. You mark the order as paid.",
  collection: "Buyers pay when they collect what they bought. You mark the order as paid.",
};

function Gateway({ code, gateway }: { code: string; gateway: Schemas["GatewayView"] }) {
  const byPerson = gateway.abilities.by_person;
  const [refused] = useState(
    () => REFUSED[new URLSearchParams(window.location.search).get("not_connected") ?? ""],
  );
  const [one] = gateway.connections;
  return (
    <>
      <header>
        <h1>{gateway.name}</h1>
        <p className="quiet">
          {ABOUT[gateway.adapter]}{" "}
          {gateway.page ? (
            <a href={gateway.page} target="_blank" rel="noreferrer">
              Its keys and test cards
            </a>
          ) : null}
        </p>
      </header>
      {refused ? (
        <Notice kind="error" title="It is not connected">
          {refused}
        </Notice>
      ) : null}
      {gateway.connections.length && !gateway.offered ? (
        <Notice kind="attention" title="It is connected, and no buyer is offered it">
          Add it <To to={`/s/${code}/ways-to-pay`}>at the counter</To>.
        </Notice>
      ) : null}
      <Section aria-label="Connections">
        <Row>
          {(["test", "live"] as const).map((mode) => (
            <ModeConnection
              key={mode}
              code={code}
              adapter={gateway.adapter}
              mode={mode}
              authorises={gateway.authorises}
              connection={gateway.connections.find((one) => one.mode === mode)}
            />
          ))}
        </Row>
      </Section>
      {byPerson ? null : (
        <Section aria-labelledby="abilities">
          <h2 id="abilities">What it can do</h2>
          <Abilities>
            {Object.entries(gateway.abilities)
              .filter(([name]) => ABILITIES[name])
              .map(([name, can]) => (
                <li key={name} className={can ? "can" : "cannot"}>
                  <b aria-hidden="true">{can ? "✓" : "–"}</b>
                  <span>{ABILITIES[name]?.[can ? 0 : 1] ?? name}</span>
                </li>
              ))}
          </Abilities>
          {gateway.abilities.recurring ? null : (
            <p className="quiet">
              It is never offered for what is charged again later, as subscriptions are.
            </p>
          )}
          {one ? <Terms of={one} /> : null}
        </Section>
      )}
    </>
  );
}

/** What a gateway says of its account: fees, limits, what statements show. */
function Terms({ of }: { of: Schemas["ConnectionView"] }) {
  const { fees } = of;
  const more = [
    Number(fees.cross_border) ? `${fees.cross_border} % more for a card of another country` : "",
    Number(fees.conversion) ? `${fees.conversion} % more in another currency than ${fees.own}` : "",
    Number(fees.monthly) ? `${fees.monthly} ${fees.own} a month` : "",
  ].filter(Boolean);
  return (
    <>
      <p>
        A charge costs {fees.percent} % and {fees.fixed}
        {more.length ? `; ${more.join(", ")}` : ""}.
      </p>
      <p className="quiet">
        It takes{" "}
        {of.limits
          .map((one) => `${one.currency} ${one.smallest ?? "0"} to ${one.largest ?? "any"}`)
          .join(", ")}
        . Buyers’ statements show <span className="mono">{of.statement}</span>.
      </p>
    </>
  );
}

interface Props {
  code: string;
  adapter: string;
  mode: Mode;
  authorises: boolean;
  connection: Schemas["ConnectionView"] | undefined;
}

function ModeConnection({ code, adapter, mode, authorises, connection }: Props) {
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
  authorises,
  done,
}: {
  code: string;
  adapter: string;
  mode: Mode;
  authorises: boolean;
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
  const transfer = adapter === "transfer";
  const nothing = BY_PERSON.includes(adapter) && !transfer;
  return (
    <Form
      onSubmit={(event) => {
        event.preventDefault();
        asked.mutate();
      }}
    >
      {authorises ? <Authorise code={code} adapter={adapter} mode={mode} /> : null}
      <p className="quiet">{how(adapter, mode)}</p>
      {asked.error && !keyProblem && !merchantProblem ? (
        <Notice kind="error">{asked.error.message}</Notice>
      ) : null}
      {nothing ? null : (
        <>
          <Field
            label={transfer ? "Account holder" : "Merchant"}
            autoComplete="off"
            value={merchant}
            onChange={setMerchant}
            problem={merchantProblem}
          />
          <Field
            label={transfer ? `IBAN for ${mode} buyers` : `Key for ${mode} mode`}
            type={transfer ? "text" : "password"}
            autoComplete="off"
            value={key}
            onChange={setKey}
            problem={keyProblem}
          />
        </>
      )}
      <div>
        <Button
          type="submit"
          look={authorises ? undefined : "main"}
          isPending={asked.isPending}
          isDisabled={!nothing && (!merchant || !key)}
        >
          {`${BY_PERSON.includes(adapter) ? "Turn on" : "Connect"} for ${mode}`}
        </Button>
        {done ? (
          <Button onPress={done}>{transfer ? "Keep this account" : "Keep the present keys"}</Button>
        ) : null}
      </div>
    </Form>
  );
}

/** Goes to the gateway's own site, where one press lets us in, and comes back connected. */
function Authorise({ code, adapter, mode }: { code: string; adapter: string; mode: Mode }) {
  const begin = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/gateways/{adapter}/authorisations", {
          params: { path: { site: code, adapter } },
          body: { mode },
        }),
      ),
    onSuccess: ({ address }) => window.location.assign(address),
  });
  return (
    <>
      <div>
        <Button look="main" isPending={begin.isPending} onPress={() => begin.mutate()}>
          {`Connect for ${mode} at its site`}
        </Button>
      </div>
      {begin.error ? <Notice kind="error">{begin.error.message}</Notice> : null}
    </>
  );
}

/** Why coming back from a gateway's own site has not connected it. */
const REFUSED: Record<string, string | undefined> = {
  denied: "You have not let Skurrow in there.",
  late: "It took too long, or was answered twice. Connect it once more.",
  silent: "The gateway did not answer. Nothing was changed; try again in a moment.",
};

const BY_PERSON = ["transfer", "invoice", "collection"];

function how(adapter: string, mode: Mode): string {
  if (adapter === "transfer")
    return mode === "test"
      ? "Test buyers are shown this account, and told not to pay."
      : "Real buyers are told to pay into this account.";
  if (BY_PERSON.includes(adapter)) return mode === "test" ? "For test buyers." : "For real buyers.";
  return mode === "test"
    ? "Or paste what its page shows for test mode."
    : "Or paste its live keys. Real buyers can pay once this is connected, a release is made, and the site is opened for them.";
}
