// One price as a sentence whose parts are edited where they stand, with its dated future beside it.
import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Sentence, SlotChoice, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { Row, Section } from "../../kit/Sheet";
import { SlotDuration } from "../../kit/fields/SlotDuration";
import { LENGTHS, RHYTHMS } from "../../kit/format/durations";
import { grouped } from "../../kit/format/money";
import {
  asPriceKind,
  numberOr,
  withAmount,
  without,
  withValue,
  type PriceBody,
  type PriceKind,
  type StartBody,
} from "../editing/bodies";
import { useRoll, useTape } from "../tape/tapeState";

const Beside = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px 28px;
  align-items: start;
  @media (max-width: 620px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

const Future = styled.div`
  padding: 6px 0 6px 12px;
  border-left: 1px dashed var(--edge);
  font: 13.5px/1.6 var(--mono);
  font-variant-numeric: tabular-nums;
  table {
    border-collapse: collapse;
  }
  td {
    padding: 0 0 0 14px;
    text-align: right;
  }
  th {
    text-align: left;
    font-weight: 400;
    color: var(--pencil);
  }
  caption {
    text-align: left;
    color: var(--pencil);
    font: 12.5px/1.4 var(--text);
  }
  p {
    color: var(--pencil);
  }
`;

const KINDS: readonly (readonly [PriceKind | "chosen", string])[] = [
  ["once", "once"],
  ["recurring", "again and again"],
  ["instalments", "in instalments"],
  ["chosen", "once, as the buyer chooses"],
  ["free", "nothing"],
];

const STARTS = [
  ["none", "from the first day"],
  ["free", "after a free time"],
  ["amount", "after a different first payment"],
] as const;

const OFFERED = [
  ["all", "offered to everybody"],
  ["named", "sold to named customers only"],
  ["kept", "kept for those who have it, and not offered"],
] as const;

interface Props {
  price: PriceBody;
  base: string;
  mayConfigure: boolean;
  mayWord: boolean;
  several: boolean;
  problem: (path: string) => string | undefined;
  onChange: (price: PriceBody) => void;
  onDefault: () => void;
  onRemove: (() => void) | undefined;
}

export function PriceEditor({
  price,
  base,
  mayConfigure,
  mayWord,
  several,
  problem,
  onChange,
  onDefault,
  onRemove,
}: Props) {
  const kind = price.chosen ? "chosen" : price.kind;
  const set = (name: string, value: unknown) => onChange(withValue(price, name, value));
  const common = { isDisabled: !mayConfigure };
  const number = (name: "payments") => ({
    ...common,
    inputMode: "numeric" as const,
    value: String(price[name] ?? ""),
    invalid: Boolean(problem(name)),
    onChange: (text: string) => set(name, numberOr(text)),
  });
  const problems = [
    ...["kind", "amount", `amount.${base}`, "chosen", `chosen.minimum.${base}`, `chosen.suggested.${base}`],
    ...[
      "every",
      "payments",
      "again",
      "start",
      `start.amount.${base}`,
      "start.free",
      "start.for",
      "start.times",
      "start.card",
      "ends",
    ],
    ...["quantity", "quantity.min", "quantity.max", "id", "default", "offered", "for", "for[0]"],
  ].map(problem);
  return (
    <Section aria-label={`Price ${price.label ?? price.id}`}>
      <Beside>
        <Sentence problems={problems}>
          Charge{" "}
          {kind === "free" ? null : (
            <>
              <SlotMoney
                {...common}
                label={kind === "chosen" ? `Least amount in ${base}` : `Amount in ${base}`}
                currency={
                  kind === "instalments" ? `${base} a time` : kind === "chosen" ? `${base} or more` : base
                }
                value={(kind === "chosen" ? price.chosen?.minimum[base] : price.amount?.[base]) ?? ""}
                invalid={Boolean(
                  problem(`amount.${base}`) ?? problem("amount") ?? problem(`chosen.minimum.${base}`),
                )}
                onChange={(text) =>
                  kind === "chosen"
                    ? set("chosen", {
                        ...price.chosen,
                        minimum: withAmount(price.chosen?.minimum, base, text),
                      })
                    : set("amount", withAmount(price.amount, base, text))
                }
              />{" "}
            </>
          )}
          <SlotChoice
            {...common}
            label="How it is charged"
            value={kind}
            options={KINDS}
            onChange={(next) => onChange(asPriceKind(price, next, base))}
          />
          {kind === "chosen" ? (
            <>
              , with{" "}
              <SlotMoney
                {...common}
                label={`Suggested amount in ${base}`}
                currency={base}
                placeholder="nothing"
                value={price.chosen?.suggested?.[base] ?? ""}
                invalid={Boolean(problem(`chosen.suggested.${base}`))}
                onChange={(text) => {
                  const suggested = withAmount(price.chosen?.suggested, base, text);
                  const chosen = { ...price.chosen, suggested };
                  set("chosen", Object.keys(suggested).length ? chosen : without(chosen, "suggested"));
                }}
              />{" "}
              filled in at first
            </>
          ) : null}
          {kind === "instalments" ? (
            <>
              : <SlotText {...number("payments")} label="Number of payments" /> payments, one
            </>
          ) : null}
          {kind === "recurring" || kind === "instalments" ? (
            <>
              {kind === "recurring" ? "," : ""} every{" "}
              <SlotDuration
                {...common}
                as="every"
                label="Every"
                options={RHYTHMS}
                value={price.every ?? "P1M"}
                invalid={Boolean(problem("every"))}
                onChange={(every) => set("every", every)}
              />
              ,{" "}
              <StartSlots
                price={price}
                base={base}
                isDisabled={!mayConfigure}
                problem={problem}
                onChange={onChange}
              />
              {price.kind === "recurring" ? (
                <>
                  . Cancelled, it ends{" "}
                  <SlotChoice
                    {...common}
                    label="When it ends that is cancelled"
                    value={endsAs(price)}
                    options={[
                      ["paid_time", "when the paid time does"],
                      ["kept", "at once"],
                      ["given_back", "at once, and the unused part is given back"],
                    ]}
                    onChange={(next) =>
                      set(
                        "ends",
                        next === "paid_time"
                          ? undefined
                          : { when: "at_once", ...(next === "given_back" ? { unused: next } : {}) },
                      )
                    }
                  />
                </>
              ) : null}
            </>
          ) : null}
          {kind === "instalments" ? (
            <>
              {"; "}
              <SlotChoice
                {...common}
                label="When the set is paid"
                value={price.again === undefined ? "no" : "yes"}
                options={[
                  ["no", "then it is paid"],
                  ["yes", "and it begins again"],
                ]}
                onChange={(again) => set("again", again === "yes" ? "P1Y" : undefined)}
              />
              {price.again === undefined ? null : (
                <>
                  {" "}
                  every{" "}
                  <SlotDuration
                    {...common}
                    as="every"
                    label="Again every"
                    options={RHYTHMS}
                    value={price.again}
                    invalid={Boolean(problem("again"))}
                    onChange={(again) => set("again", again)}
                  />
                </>
              )}
            </>
          ) : null}
          . It is{" "}
          <SlotChoice
            {...common}
            label="To whom it is offered"
            value={price.offered === false ? "kept" : price.for ? "named" : "all"}
            options={OFFERED}
            onChange={(to) => onChange(asOffered(price, to))}
          />
          <Quantity price={price} isDisabled={!mayConfigure} problem={problem} onChange={onChange} />
        </Sentence>
        <Dated price={price.id} base={base} />
      </Beside>
      <Compared price={price.id} />
      {price.for ? (
        <Field
          label="Who may buy it"
          hint="Email addresses, one a line."
          lines
          value={price.for.join("\n")}
          problem={problem("for") ?? price.for.map((_, i) => problem(`for[${i}]`)).find(Boolean)}
          isDisabled={!mayConfigure}
          onChange={(text) =>
            set(
              "for",
              text.split(/[\n,;]+/).map((one) => one.trimStart()),
            )
          }
        />
      ) : null}
      {several || price.label || price.text ? (
        <Row>
          <Field
            label="Label for buyers"
            hint={
              several ? "Stands beside the others at the counter." : "Where a checkout sells several prices."
            }
            value={price.label ?? ""}
            problem={problem("label")}
            isDisabled={!mayWord}
            onChange={(text) => set("label", text)}
          />
          <Field
            label="A few words more"
            value={price.text ?? ""}
            problem={problem("text")}
            isDisabled={!mayWord}
            onChange={(text) => set("text", text)}
          />
        </Row>
      ) : null}
      <div>
        <TurnTape price={price.id} />
        {mayConfigure && several && !price.default && price.offered !== false ? (
          <Button look="plain" onPress={onDefault}>
            Choose it at first
          </Button>
        ) : null}
        {onRemove ? (
          <Button look="plain" onPress={onRemove}>
            Take this price out
          </Button>
        ) : null}
        {price.default && several ? <span className="quiet"> Chosen at first.</span> : null}
      </div>
    </Section>
  );
}

function asOffered(price: PriceBody, to: (typeof OFFERED)[number][0]): PriceBody {
  const plain = without(without(price, "offered"), "for");
  if (to === "kept") return { ...without(plain, "default"), offered: false };
  return to === "named" ? { ...plain, for: [""] } : plain;
}

function endsAs({ ends }: PriceBody): "paid_time" | "kept" | "given_back" {
  return ends?.when === "at_once" ? (ends.unused ?? "kept") : "paid_time";
}

interface SlotProps {
  price: PriceBody;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (price: PriceBody) => void;
}

function StartSlots({ price, base, isDisabled, problem, onChange }: SlotProps & { base: string }) {
  const { start } = price;
  const kind = start === undefined ? "none" : start.amount ? "amount" : "free";
  const set = (next: StartBody | undefined) => onChange(withValue(price, "start", next));
  return (
    <>
      <SlotChoice
        label="How it begins"
        value={kind}
        options={STARTS}
        isDisabled={isDisabled}
        onChange={(next) =>
          set(
            next === "none"
              ? undefined
              : next === "free"
                ? { free: "P14D" }
                : { amount: { [base]: price.amount?.[base] ?? "1.00" }, for: "P1M" },
          )
        }
      />
      {kind === "free" ? (
        <>
          {" "}
          of{" "}
          <SlotDuration
            as="length"
            label="Free for"
            options={LENGTHS}
            value={start?.free ?? "P14D"}
            isDisabled={isDisabled}
            invalid={Boolean(problem("start.free"))}
            onChange={(free) => set({ ...start, free })}
          />
          , with a card{" "}
          <SlotChoice
            label="When a trial takes a card"
            value={start?.card ?? "at_order"}
            options={[
              ["at_order", "from the start"],
              ["later", "before it ends"],
            ]}
            isDisabled={isDisabled}
            invalid={Boolean(problem("start.card"))}
            onChange={(card) => set({ free: start?.free ?? "P14D", ...(card === "later" ? { card } : {}) })}
          />
        </>
      ) : null}
      {kind === "amount" ? (
        <>
          {" "}
          of{" "}
          <SlotMoney
            label={`First payment in ${base}`}
            currency={base}
            value={start?.amount?.[base] ?? ""}
            isDisabled={isDisabled}
            invalid={Boolean(problem(`start.amount.${base}`))}
            onChange={(text) => set({ ...start, amount: withAmount(start?.amount, base, text) })}
          />{" "}
          for{" "}
          <SlotDuration
            as="length"
            label="First payment for"
            options={LENGTHS}
            value={start?.for ?? "P1M"}
            isDisabled={isDisabled}
            invalid={Boolean(problem("start.for"))}
            onChange={(length) => set({ ...start, for: length })}
          />
          , charged{" "}
          <SlotText
            label="How often the first payment comes"
            inputMode="numeric"
            value={String(start?.times ?? 1)}
            isDisabled={isDisabled}
            invalid={Boolean(problem("start.times"))}
            onChange={(text) => set({ ...start, times: numberOr(text) ?? "" })}
          />{" "}
          {start?.times === undefined || start.times === 1 ? "time" : "times"}
        </>
      ) : null}
    </>
  );
}

function Quantity({ price, isDisabled, problem, onChange }: SlotProps) {
  const set = (name: "min" | "max", text: string) =>
    onChange({ ...price, quantity: { min: 1, max: 1, ...price.quantity, [name]: numberOr(text) ?? "" } });
  const slot = (name: "min" | "max", label: string) => (
    <SlotText
      label={label}
      inputMode="numeric"
      value={String(price.quantity?.[name] ?? 1)}
      isDisabled={isDisabled}
      invalid={Boolean(problem(`quantity.${name}`) ?? problem("quantity"))}
      onChange={(text) => set(name, text)}
    />
  );
  return (
    <>
      , {slot("min", "Smallest quantity")} to {slot("max", "Largest quantity")} at a time.
    </>
  );
}

/** The first charges of a price, of what is being typed. */
function Dated({ price, base }: { price: string; base: string }) {
  const future = useRoll().tapes?.futures.find((one) => one.price === price);
  if (!future) return null;
  return (
    <Future role="group" aria-label="When it is charged">
      {future.days.length ? (
        <table>
          <caption>bought today, in {base}</caption>
          <tbody>
            {future.days.map((one) => (
              <tr key={one.day}>
                <th scope="row">{one.day}</th>
                <td>{grouped(one.amount)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p>never charged</p>
      )}
      {future.more ? <p>{future.more}</p> : null}
    </Future>
  );
}

/** How a price stands beside the product's others. */
function Compared({ price }: { price: string }) {
  const found = (useRoll().tapes?.comparisons ?? []).filter(
    (one) => one.price === price && one.against !== "",
  );
  return (
    <>
      {found.map((one) => (
        <p key={one.words} className="quiet">
          {one.words}
        </p>
      ))}
    </>
  );
}

function TurnTape({ price }: { price: string }) {
  const { change } = useTape();
  const shown = useRoll().tapes?.price === price;
  if (shown) return <span className="quiet">On the tape. </span>;
  return (
    <Button look="plain" onPress={() => change({ price })}>
      Put it on the tape
    </Button>
  );
}
