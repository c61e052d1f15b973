// At the counter: which gateways buyers are offered, in which order, under which names; and limits against fraud.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Sentence, SlotChoice, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { Body, Section, Table } from "../../kit/Sheet";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { PaymentRooms } from "../room/StageRooms";
import {
  numberOr,
  withAmount,
  withValue,
  type Amounts,
  type GuardBody,
  type PaymentsBody,
  type WayBody,
} from "../editing/bodies";
import { To } from "../room/places";
import { gateways, paymentCosts, useSite } from "../queries";

export const WaysToPay = () => (
  <PartRoom rooms={<PaymentRooms />} name="Ways to pay" kind="payments">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

type Problem = (path: string) => string | undefined;

const Ways = styled.ol`
  list-style: none;
  margin: 0;
  padding: 0;
  counter-reset: way;
  > li {
    counter-increment: way;
    display: grid;
    grid-template-columns: 30px minmax(0, 1fr);
    padding: 10px 0;
    border-bottom: 1px solid var(--hairline);
  }
  > li::before {
    content: counter(way) ".";
    font: 17px/1.9 var(--mono);
    color: var(--pencil);
  }
  .buttons {
    grid-column: 2;
    margin-left: -8px;
  }
`;

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const known = useQuery(gateways(code)).data ?? [];
  const base = useSite(code).data?.currencies[0] ?? "EUR";
  const body = draft.body as PaymentsBody;
  const ways = body.ways ?? [];
  const guards = body.guards ?? [];
  const store = (name: "ways" | "guards", next: unknown[]) =>
    draft.edit(withValue(body, name, next.length ? next : undefined));
  const connected = known.filter((one) => one.connections.length);
  const left = connected.filter((one) => !ways.some((way) => way.gateway === one.adapter));
  const move = (i: number, by: number) => {
    const next = [...ways];
    const [moved] = next.splice(i, 1);
    if (moved) next.splice(i + by, 0, moved);
    store("ways", next);
  };
  return (
    <Body>
      <header>
        <h1>Ways to pay</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      {ways.length ? (
        <Ways aria-label="Ways to pay, as they are offered">
          {ways.map((way, i) => (
            <li key={way.gateway}>
              <Way
                way={way}
                gateway={known.find((one) => one.adapter === way.gateway)}
                base={base}
                isDisabled={off}
                problem={(path) => problem(`ways[${i}]${path}`)}
                onChange={(next) =>
                  store(
                    "ways",
                    ways.map((one, j) => (j === i ? next : one)),
                  )
                }
              />
              {off ? null : (
                <div className="buttons">
                  <Button look="plain" isDisabled={i === 0} onPress={() => move(i, -1)}>
                    Move up
                  </Button>
                  <Button look="plain" isDisabled={i === ways.length - 1} onPress={() => move(i, 1)}>
                    Move down
                  </Button>
                  <Button
                    look="plain"
                    onPress={() =>
                      store(
                        "ways",
                        ways.filter((_, j) => j !== i),
                      )
                    }
                  >
                    Do not offer it
                  </Button>
                </div>
              )}
            </li>
          ))}
        </Ways>
      ) : connected.length ? (
        <p>
          Every connected gateway is offered, as it was connected:{" "}
          {connected.map((one) => one.label).join(", ")}.
        </p>
      ) : (
        <p>
          No gateway is connected. <To to={`/s/${code}/payments`}>Connect one</To>, and buyers are offered it.
        </p>
      )}
      {off ? null : (
        <div>
          {ways.length === 0 && connected.length ? (
            <Button
              onPress={() =>
                store(
                  "ways",
                  connected.map((one) => ({ gateway: one.adapter })),
                )
              }
            >
              Choose which, and in which order
            </Button>
          ) : (
            left.map((one) => (
              <Button
                key={one.adapter}
                onPress={() => store("ways", [...ways, { gateway: one.adapter }])}
              >{`Offer ${one.name}`}</Button>
            ))
          )}
        </div>
      )}
      <Section aria-labelledby="guards">
        <h2 id="guards">Limits against fraud</h2>
        <p className="quiet">
          What is held is paid, and waits under Orders for a person who lets it through or gives it back. A
          buyer never reads why. Always on: after 10 refused cards from one connection within an hour, or 6
          refusals of one card within a day, no more are tried; and of orders that wait for money, nobody has
          more than 3 at once.
        </p>
        {guards.map((guard, i) => (
          <div key={i}>
            <Guard
              guard={guard}
              base={base}
              isDisabled={off}
              problem={(path) => problem(`guards[${i}]${path}`)}
              onChange={(next) =>
                store(
                  "guards",
                  guards.map((one, j) => (j === i ? next : one)),
                )
              }
            />
            {off ? null : (
              <Button
                look="plain"
                onPress={() =>
                  store(
                    "guards",
                    guards.filter((_, j) => j !== i),
                  )
                }
              >
                Remove this limit
              </Button>
            )}
          </div>
        ))}
        {off ? null : (
          <div>
            <Button
              onPress={() => store("guards", [...guards, { above: { [base]: "500.00" }, then: "hold" }])}
            >
              Add a limit
            </Button>
          </div>
        )}
      </Section>
      <WhoIsOffered code={code} base={base} />
    </Body>
  );
}

const codes = (text: string) =>
  text
    .toUpperCase()
    .split(/[\s,;]+/)
    .filter(Boolean);

function Way({
  way,
  gateway,
  base,
  problem,
  isDisabled,
  onChange,
}: {
  way: WayBody;
  gateway: Schemas["GatewayView"] | undefined;
  base: string;
  problem: Problem;
  isDisabled: boolean;
  onChange: (next: WayBody) => void;
}) {
  const name = gateway?.name ?? way.gateway;
  const set = (key: keyof WayBody & string, value: unknown) => onChange(withValue(way, key, value));
  const setAmount = (key: "minimum" | "maximum", text: string) => {
    const next = withAmount(way[key], base, text);
    set(key, Object.keys(next).length ? next : undefined);
  };
  const listProblem = (key: "countries" | "currencies") =>
    (way[key] ?? []).map((_, j) => problem(`.${key}[${j}]`)).find(Boolean) ?? problem(`.${key}`);
  const amountProblem = (key: "minimum" | "maximum") => problem(`.${key}.${base}`) ?? problem(`.${key}`);
  const problems = [
    problem(".gateway"),
    problem(".label"),
    problem(".text"),
    listProblem("countries"),
    listProblem("currencies"),
    amountProblem("minimum"),
    amountProblem("maximum"),
    problem(".days"),
    problem(".hold_days"),
  ];
  return (
    <Sentence problems={problems}>
      <SlotText
        label={`What buyers read for ${name}`}
        value={way.label ?? ""}
        placeholder={gateway?.label ?? way.gateway}
        invalid={Boolean(problem(".label"))}
        isDisabled={isDisabled}
        onChange={(text) => set("label", text)}
      />
      <span className="aside"> ({gateway?.connections.length ? name : `${name}, not connected`})</span>, with{" "}
      <SlotText
        label={`Text beneath it for ${name}`}
        value={way.text ?? ""}
        placeholder="no text"
        invalid={Boolean(problem(".text"))}
        isDisabled={isDisabled}
        onChange={(text) => set("text", text)}
      />{" "}
      beneath, in{" "}
      <TypedList
        label={`Countries for ${name}`}
        none="every country"
        value={way.countries}
        invalid={Boolean(listProblem("countries"))}
        isDisabled={isDisabled}
        onChange={(next) => set("countries", next)}
      />
      , for{" "}
      <TypedList
        label={`Currencies for ${name}`}
        none="every currency"
        value={way.currencies}
        invalid={Boolean(listProblem("currencies"))}
        isDisabled={isDisabled}
        onChange={(next) => set("currencies", next)}
      />
      , from{" "}
      <SlotMoney
        label={`Smallest amount for ${name}`}
        currency={base}
        placeholder="any"
        value={way.minimum?.[base] ?? ""}
        invalid={Boolean(amountProblem("minimum"))}
        isDisabled={isDisabled}
        onChange={(text) => setAmount("minimum", text)}
      />{" "}
      up to{" "}
      <SlotMoney
        label={`Largest amount for ${name}`}
        currency={base}
        placeholder="any"
        value={way.maximum?.[base] ?? ""}
        invalid={Boolean(amountProblem("maximum"))}
        isDisabled={isDisabled}
        onChange={(text) => setAmount("maximum", text)}
      />
      {gateway?.abilities.by_person ? (
        <>
          , to be paid within{" "}
          <SlotText
            label={`Days to pay with ${name}`}
            value={String(way.days ?? "")}
            placeholder="14"
            inputMode="numeric"
            invalid={Boolean(problem(".days"))}
            isDisabled={isDisabled}
            onChange={(text) => set("days", numberOr(text))}
          />{" "}
          days, with stock and coupons held for{" "}
          <SlotText
            label={`Days for which ${name} holds stock`}
            value={String(way.hold_days ?? "")}
            placeholder="2"
            inputMode="numeric"
            invalid={Boolean(problem(".hold_days"))}
            isDisabled={isDisabled}
            onChange={(text) => set("hold_days", numberOr(text))}
          />{" "}
          of them
        </>
      ) : null}
      .
    </Sentence>
  );
}

/** Codes in a sentence, as they are typed; what they are is stored, not how they were spaced. */
function TypedList({
  label,
  none,
  value,
  invalid,
  isDisabled,
  onChange,
}: {
  label: string;
  none: string;
  value: string[] | undefined;
  invalid: boolean;
  isDisabled: boolean;
  onChange: (next: string[] | undefined) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const stored = (value ?? []).join(", ");
  const shown = typed !== undefined && codes(typed).join(", ") === stored ? typed : stored;
  return (
    <SlotText
      label={label}
      placeholder={none}
      value={shown}
      invalid={invalid}
      isDisabled={isDisabled}
      onChange={(text) => {
        setTyped(text);
        const next = codes(text);
        onChange(next.length ? next : undefined);
      }}
    />
  );
}

type GuardKind = "above" | "tries" | "another_country";

function Guard({
  guard,
  base,
  problem,
  isDisabled,
  onChange,
}: {
  guard: GuardBody;
  base: string;
  problem: Problem;
  isDisabled: boolean;
  onChange: (next: GuardBody) => void;
}) {
  const kind: GuardKind = guard.above ? "above" : guard.another_country ? "another_country" : "tries";
  const then = guard.then ?? "hold";
  const turned = (next: GuardKind): GuardBody =>
    next === "above"
      ? { above: { [base]: "500.00" }, then }
      : next === "tries"
        ? { tries: 5, by: "card", hours: 24, then }
        : { another_country: true, then };
  const above: Amounts = guard.above ?? {};
  return (
    <Sentence
      problems={[
        problem(""),
        problem(`.above.${base}`),
        problem(".above"),
        problem(".tries"),
        problem(".by"),
        problem(".hours"),
      ]}
    >
      An order{" "}
      <SlotChoice
        label="What the limit is about"
        value={kind}
        options={[
          ["above", "above an amount of"],
          ["tries", "after more than"],
          ["another_country", "with a card of another country than the buyer’s"],
        ]}
        isDisabled={isDisabled}
        onChange={(next) => onChange(turned(next))}
      />{" "}
      {kind === "above" ? (
        <SlotMoney
          label="Above"
          currency={base}
          value={above[base] ?? ""}
          invalid={Boolean(problem(`.above.${base}`))}
          isDisabled={isDisabled}
          onChange={(text) => onChange({ ...guard, above: { ...above, [base]: text.trim() } })}
        />
      ) : null}
      {kind === "tries" ? (
        <>
          <SlotText
            label="Tries"
            inputMode="numeric"
            value={String(guard.tries ?? "")}
            invalid={Boolean(problem(".tries"))}
            isDisabled={isDisabled}
            onChange={(text) => onChange({ ...guard, tries: numberOr(text) ?? "" })}
          />{" "}
          tries by the same{" "}
          <SlotChoice
            label="Counted by"
            value={guard.by ?? "card"}
            options={[
              ["card", "card"],
              ["address", "connection"],
              ["buyer", "buyer"],
            ]}
            isDisabled={isDisabled}
            onChange={(by) => onChange({ ...guard, by })}
          />{" "}
          within{" "}
          <SlotText
            label="Hours"
            inputMode="numeric"
            value={String(guard.hours ?? "")}
            invalid={Boolean(problem(".hours"))}
            isDisabled={isDisabled}
            onChange={(text) => onChange({ ...guard, hours: numberOr(text) ?? "" })}
          />{" "}
          hours
        </>
      ) : null}{" "}
      is{" "}
      <SlotChoice
        label="Then it is"
        value={then}
        options={[
          ["hold", "held for a person"],
          ["refuse", "refused"],
        ]}
        isDisabled={isDisabled}
        onChange={(next) => onChange({ ...guard, then: next })}
      />
      .
    </Sentence>
  );
}

/** For an amount: which stand-in buyer could pay it with what, and why not. */
function WhoIsOffered({ code, base }: { code: string; base: string }) {
  const change = useSite(code).data?.change ?? 0;
  const [amount, setAmount] = useState("50.00");
  const found = useQuery(paymentCosts(code, change, { amount })).data;
  const ways = found?.costs ?? [];
  return (
    <Section aria-labelledby="offered">
      <h2 id="offered">Who is offered what</h2>
      <Sentence>
        For a basket of <SlotMoney label="Basket" currency={base} value={amount} onChange={setAmount} />,
        collected:
      </Sentence>
      {found?.buyers.length ? (
        <div style={{ overflowX: "auto" }} tabIndex={0} role="region" aria-label="Buyers by ways to pay">
          <Table>
            <thead>
              <tr>
                <th scope="col">Stand-in buyer</th>
                {ways.map((way) => (
                  <th scope="col" key={way.gateway}>
                    {way.label}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {found.buyers.map((buyer) => (
                <tr key={buyer.buyer}>
                  <th scope="row">{buyer.name}</th>
                  {ways.map((way) => {
                    const why = buyer.offers[way.gateway];
                    return (
                      <td key={way.gateway} className={why ? "pencil" : ""}>
                        {why ?? "✓ offered"}
                      </td>
                    );
                  })}
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      ) : (
        <p className="quiet">Connect a gateway and add stand-in buyers, and this says who could pay how.</p>
      )}
    </Section>
  );
}
