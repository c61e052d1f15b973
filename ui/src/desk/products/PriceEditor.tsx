// One price as a sentence whose parts are edited where they stand, with its dated future beside it.
import { styled } from "styled-components";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Sentence, SlotMoney, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { SlotDuration } from "../../kit/fields/SlotDuration";
import { RHYTHMS } from "../../kit/format/durations";
import { Section, Row } from "../../kit/Sheet";
import { type PriceBody, withValue, numberOr, withAmount, asPriceKind, without } from "../editing/bodies";
import { Quantity, Dated, Compared, TurnTape } from "./PriceSlots";
import { KINDS, StartSlots, endsAs, OFFERED, asOffered } from "./StartSlots";

const Beside = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px 28px;
  align-items: start;
  @media (max-width: 620px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

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
