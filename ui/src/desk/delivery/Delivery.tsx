// How goods are sent: zones and their methods, and a tester that says what a parcel costs to an address.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { Sentence, SlotChoice, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { Body, Section, Table } from "../../kit/Sheet";
import { COUNTRIES } from "../../kit/format/countries";
import { money } from "../../kit/format/money";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { TaxRooms } from "../room/StageRooms";
import { numberOr, withValue, type DeliveryBody, type MethodBody, type ZoneBody } from "../editing/bodies";
import { prices, useSite } from "../queries";

export const Delivery = () => (
  <PartRoom rooms={<TaxRooms />} name="Delivery" kind="delivery">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const site = useSite(code).data;
  const base = site?.currencies[0] ?? "EUR";
  const zones = (draft.body as DeliveryBody).zones ?? [];
  const store = (next: ZoneBody[]) => draft.edit({ zones: next });
  return (
    <Body>
      <header>
        <h1>Delivery</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <p>
        {zones.length
          ? "A parcel goes by the most specific place that fits: the beginning of a postal code, a region, a country, anywhere. Amounts are as tax is written at your prices."
          : "Nothing is sent yet: goods are collected from you, and taxed at home. Add a zone, and the counter asks for an address and a way."}
      </p>
      {zones.map((zone, i) => (
        <Zone
          key={i}
          zone={zone}
          base={base}
          isDisabled={off}
          problem={(path) => problem(`zones[${i}]${path}`)}
          onChange={(next) => store(zones.map((one, j) => (j === i ? next : one)))}
          onRemove={() => store(zones.filter((_, j) => j !== i))}
        />
      ))}
      {off ? null : (
        <div>
          <Button
            onPress={() =>
              store([
                ...zones,
                {
                  name: zones.length ? "Elsewhere" : "At home",
                  places: [zones.length ? "*" : (site?.country ?? "*")],
                  methods: [{ id: "post", name: "Post", amount: { [base]: "5.00" } }],
                },
              ])
            }
          >
            Add a zone
          </Button>
        </div>
      )}
      {zones.length ? (
        <Tester code={code} change={site?.change ?? 0} currencies={site?.currencies ?? [base]} />
      ) : null}
    </Body>
  );
}

function Zone({
  zone,
  base,
  isDisabled,
  problem,
  onChange,
  onRemove,
}: {
  zone: ZoneBody;
  base: string;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (next: ZoneBody) => void;
  onRemove: () => void;
}) {
  const [typed, setTyped] = useState<string>();
  const methods = zone.methods ?? [];
  const wrongPlaces = zone.places.map((_, j) => problem(`.places[${j}]`)).find(Boolean) ?? problem(".places");
  return (
    <Section aria-label={`Zone ${zone.name}`}>
      <Sentence problems={[problem(".name"), wrongPlaces]}>
        <strong>
          <SlotText
            label="Name of the zone"
            value={zone.name}
            isDisabled={isDisabled}
            onChange={(name) => onChange({ ...zone, name })}
          />
        </strong>
        : parcels to{" "}
        <SlotText
          label={`Places of ${zone.name}`}
          value={typed ?? zone.places.join(", ")}
          isDisabled={isDisabled}
          invalid={Boolean(wrongPlaces)}
          onChange={(text) => {
            setTyped(text);
            onChange({ ...zone, places: placesIn(text) });
          }}
        />{" "}
        {isDisabled ? null : (
          <Button look="plain" onPress={onRemove}>
            Take out<span className="hidden"> the zone {zone.name}</span>
          </Button>
        )}
      </Sentence>
      {methods.map((method, j) => (
        <Method
          key={`${method.id} ${j}`}
          method={method}
          base={base}
          isDisabled={isDisabled}
          problem={(path) => problem(`.methods[${j}]${path}`)}
          onChange={(next) => onChange({ ...zone, methods: methods.map((one, k) => (k === j ? next : one)) })}
          onRemove={() => onChange({ ...zone, methods: methods.filter((_, k) => k !== j) })}
        />
      ))}
      {isDisabled ? null : (
        <div>
          <Button
            look="plain"
            onPress={() =>
              onChange({
                ...zone,
                methods: [
                  ...methods,
                  {
                    id: freeId(methods),
                    name: methods.length ? "Another way" : "Post",
                    amount: { [base]: "5.00" },
                  },
                ],
              })
            }
          >
            Add a way
          </Button>
        </div>
      )}
    </Section>
  );
}

type How = "amount" | "each" | "by_weight" | "by_value" | "pick_up";

const HOW: readonly (readonly [How, string])[] = [
  ["amount", "at"],
  ["each", "for each piece, at"],
  ["by_weight", "by weight"],
  ["by_value", "by the value of the goods"],
  ["pick_up", "collected, at no cost"],
];

const howOf = (method: MethodBody): How =>
  method.pick_up
    ? "pick_up"
    : method.by_weight?.length
      ? "by_weight"
      : method.by_value?.length
        ? "by_value"
        : method.amount
          ? "amount"
          : "each";

function Method({
  method,
  base,
  isDisabled,
  problem,
  onChange,
  onRemove,
}: {
  method: MethodBody;
  base: string;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (next: MethodBody) => void;
  onRemove: () => void;
}) {
  const how = howOf(method);
  const { id, name, free_from } = method;
  const bare: MethodBody = free_from ? { id, name, free_from } : { id, name };
  const become = (next: How) => {
    const amount = method.amount ?? method.each ?? { [base]: "5.00" };
    if (next === "pick_up") onChange({ id, name, pick_up: true });
    else if (next === "by_weight") onChange({ ...bare, by_weight: [{ up_to_g: 2000, amount }] });
    else if (next === "by_value")
      onChange({ ...bare, by_value: [{ up_to: { [base]: "50.00" }, amount }, { amount }] });
    else onChange({ ...bare, [next]: amount });
  };
  const say = (
    at: string,
    amounts: Record<string, string> | undefined,
    store: (next: Record<string, string>) => void,
  ) => (
    <SlotMoney
      label={at}
      currency={base}
      value={amounts?.[base] ?? ""}
      isDisabled={isDisabled}
      onChange={(text) => store({ ...amounts, [base]: text.replace(",", ".") })}
    />
  );
  const told = ["", ".name", ".id", ".amount", `.amount.${base}`, `.each.${base}`, `.free_from.${base}`].map(
    problem,
  );
  (method.by_weight ?? []).forEach((_, k) => {
    told.push(problem(`.by_weight[${k}].up_to_g`), problem(`.by_weight[${k}].amount.${base}`));
  });
  (method.by_value ?? []).forEach((_, k) => {
    told.push(
      problem(`.by_value[${k}].up_to`),
      problem(`.by_value[${k}].up_to.${base}`),
      problem(`.by_value[${k}].amount.${base}`),
    );
  });
  return (
    <Sentence problems={told}>
      <SlotText
        label="Name of the way"
        value={method.name}
        isDisabled={isDisabled}
        onChange={(text) => onChange({ ...method, name: text })}
      />
      ,{" "}
      <SlotChoice
        label={`How ${name} is charged`}
        value={how}
        options={HOW}
        isDisabled={isDisabled}
        onChange={become}
      />{" "}
      {how === "amount"
        ? say(`Amount of ${name}`, method.amount, (amount) => onChange({ ...method, amount }))
        : null}
      {how === "each" ? say(`Amount of ${name}`, method.each, (each) => onChange({ ...method, each })) : null}
      {how === "by_weight"
        ? (method.by_weight ?? []).map((step, k, all) => (
            <span key={k}>
              {k ? "; " : ": "}up to{" "}
              <SlotText
                label={`Grams of step ${k + 1} of ${name}`}
                inputMode="numeric"
                value={String(step.up_to_g)}
                isDisabled={isDisabled}
                onChange={(text) =>
                  onChange({
                    ...method,
                    by_weight: all.map((one, i) =>
                      i === k ? { ...one, up_to_g: numberOr(text) ?? "" } : one,
                    ),
                  })
                }
              />{" "}
              g at{" "}
              {say(`Amount of step ${k + 1} of ${name}`, step.amount, (amount) =>
                onChange({ ...method, by_weight: all.map((one, i) => (i === k ? { ...one, amount } : one)) }),
              )}
            </span>
          ))
        : null}
      {how === "by_value"
        ? (method.by_value ?? []).map((step, k, all) => (
            <span key={k}>
              {k ? "; " : ": "}
              {step.up_to ? (
                <>
                  up to{" "}
                  {say(`Value of step ${k + 1} of ${name}`, step.up_to, (up_to) =>
                    onChange({
                      ...method,
                      by_value: all.map((one, i) => (i === k ? { ...one, up_to } : one)),
                    }),
                  )}
                </>
              ) : (
                "above"
              )}{" "}
              at{" "}
              {say(`Amount of step ${k + 1} of ${name}`, step.amount, (amount) =>
                onChange({ ...method, by_value: all.map((one, i) => (i === k ? { ...one, amount } : one)) }),
              )}
            </span>
          ))
        : null}
      {isDisabled || (how !== "by_weight" && how !== "by_value") ? null : (
        <Button look="plain" onPress={() => onChange(withStep(method, how, base))}>
          Add a step<span className="hidden"> to {name}</span>
        </Button>
      )}
      {how === "pick_up" ? null : (
        <>
          ,{" "}
          <SlotChoice
            label={`Whether ${name} is ever free`}
            value={free_from ? "from" : "never"}
            options={[
              ["never", "never free"],
              ["from", "free from"],
            ]}
            isDisabled={isDisabled}
            onChange={(which) =>
              onChange(withValue(method, "free_from", which === "from" ? { [base]: "75.00" } : undefined))
            }
          />
          {free_from ? (
            <>
              {" "}
              {say(`From which value ${name} is free`, free_from, (from) =>
                onChange({ ...method, free_from: from }),
              )}{" "}
              on
            </>
          ) : null}
        </>
      )}
      .{" "}
      {isDisabled ? null : (
        <Button look="plain" onPress={onRemove}>
          Take out<span className="hidden"> {name}</span>
        </Button>
      )}
    </Sentence>
  );
}

function withStep(method: MethodBody, how: How, base: string): MethodBody {
  if (how === "by_weight") {
    const steps = method.by_weight ?? [];
    const last = steps[steps.length - 1];
    const next = {
      up_to_g: Number(last?.up_to_g ?? 1000) * 2,
      amount: { [base]: last?.amount[base] ?? "5.00" },
    };
    return { ...method, by_weight: [...steps, next] };
  }
  const steps = method.by_value ?? [];
  const open = steps.filter((one) => !one.up_to);
  const closed = steps.filter((one) => one.up_to);
  const last = closed[closed.length - 1]?.up_to?.[base] ?? "50.00";
  const next = { up_to: { [base]: `${Number.parseInt(last, 10) * 2}` }, amount: { [base]: "5.00" } };
  return { ...method, by_value: [...closed, next, ...open] };
}

/** A name for orders that no other way here has. */
function freeId(methods: MethodBody[]): string {
  const taken = new Set(methods.map((one) => one.id));
  let n = methods.length + 1;
  if (!taken.has("post")) return "post";
  while (taken.has(`way-${n}`)) n += 1;
  return `way-${n}`;
}

/** Places as they are typed, with commas between them. */
export const placesIn = (text: string) =>
  text
    .split(",")
    .map((one) => one.trim().toUpperCase())
    .filter(Boolean);

function Tester({ code, change, currencies }: { code: string; change: number; currencies: string[] }) {
  const listed = useQuery(prices(code, "")).data ?? [];
  const [price, setPrice] = useState("");
  const [quantity, setQuantity] = useState("1");
  const [country, setCountry] = useState("DE");
  const [postal, setPostal] = useState("");
  const [currency, setCurrency] = useState(currencies[0] ?? "EUR");
  const chosen = price || listed[0]?.price || "";
  const asked = useQuery({
    queryKey: ["site", code, "parcels", change, chosen, quantity, country, postal, currency],
    enabled: chosen !== "" && /^[1-9]\d{0,3}$/.test(quantity),
    retry: false,
    queryFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/parcels", {
          params: { path: { site: code } },
          body: { price: chosen, quantity: Number(quantity), country, postal_code: postal, currency },
        }),
      ),
    placeholderData: (old: Schemas["ParcelView"] | undefined) => old,
  });
  const refused = asked.error instanceof Refused ? asked.error.problem.detail : undefined;
  return (
    <Section aria-labelledby="tester">
      <h2 id="tester">Try an address</h2>
      <div style={{ display: "grid", gap: 12, gridTemplateColumns: "repeat(auto-fit, minmax(150px, 1fr))" }}>
        <Choice
          label="Price"
          value={chosen}
          options={listed.map((one) => [one.price, one.words] as const)}
          onChange={setPrice}
        />
        <Field label="How many" value={quantity} onChange={setQuantity} />
        <Choice label="Country" value={country} options={COUNTRIES} onChange={setCountry} />
        <Field label="Postal code" value={postal} onChange={setPostal} />
        <Choice
          label="Currency"
          value={currency}
          options={currencies.map((one) => [one, one] as const)}
          onChange={setCurrency}
        />
      </div>
      <div role="status">
        {refused ? (
          <p>{refused}</p>
        ) : !asked.data ? null : asked.data.zone === null ? (
          <p>
            <strong>Nothing is sent there.</strong> No zone fits this address, and the counter says so before
            anything is paid.
          </p>
        ) : asked.data.methods.length === 0 ? (
          <p>
            <strong>{asked.data.zone}</strong> has no way of delivery: nothing is sent there.
          </p>
        ) : (
          <Table>
            <thead>
              <tr>
                <th scope="col">{asked.data.zone}</th>
                <th scope="col" className="amount">
                  costs
                </th>
              </tr>
            </thead>
            <tbody>
              {asked.data.methods.map((one) => (
                <tr key={one.id}>
                  <th scope="row">{one.name}</th>
                  <td className="amount">
                    {one.amount === null ? one.problem : money(asked.data.currency, one.amount)}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        )}
      </div>
    </Section>
  );
}
