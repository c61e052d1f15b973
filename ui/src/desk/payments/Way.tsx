// One way to pay, as buyers are offered it.
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Sentence, SlotText, SlotMoney } from "../../kit/fields/Sentence";
import { type WayBody, withValue, withAmount, numberOr } from "../editing/bodies";

export type Problem = (path: string) => string | undefined;

const codes = (text: string) =>
  text
    .toUpperCase()
    .split(/[\s,;]+/)
    .filter(Boolean);

export function Way({
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
