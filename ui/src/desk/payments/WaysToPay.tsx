// At the counter: which gateways buyers are offered, in which order, under which names; and limits against fraud.
import { useQuery } from "@tanstack/react-query";
import { styled } from "styled-components";
import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Body, Section } from "../../kit/Sheet";
import { type PaymentsBody, withValue } from "../editing/bodies";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { gateways, useSite } from "../queries";
import { To } from "../room/places";
import { PaymentRooms } from "../room/StageRooms";
import { Guard } from "./Guard";
import { Way } from "./Way";
import { WhoIsOffered } from "./WhoIsOffered";

export const WaysToPay = () => (
  <PartRoom rooms={<PaymentRooms />} name="Ways to pay" kind="payments">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

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
