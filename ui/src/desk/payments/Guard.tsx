// A limit against fraud.
import { Sentence, SlotChoice, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { type GuardBody, type Amounts, numberOr } from "../editing/bodies";
import type { Problem } from "./Way";
import { slots } from "../editing/slots";

type GuardKind = "above" | "tries" | "another_country";

export function Guard({
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
  const { at, problems } = slots(problem, isDisabled);
  return (
    <Sentence problems={problems}>
      An order{" "}
      <SlotChoice
        label="What the limit is about"
        value={kind}
        options={[
          ["above", "above an amount of"],
          ["tries", "after more than"],
          ["another_country", "with a card of another country than the buyer’s"],
        ]}
        {...at("")}
        onChange={(next) => onChange(turned(next))}
      />{" "}
      {kind === "above" ? (
        <SlotMoney
          label="Above"
          currency={base}
          value={above[base] ?? ""}
          {...at(".above", `.above.${base}`)}
          onChange={(text) => onChange({ ...guard, above: { ...above, [base]: text.trim() } })}
        />
      ) : null}
      {kind === "tries" ? (
        <>
          <SlotText
            label="Tries"
            inputMode="numeric"
            value={String(guard.tries ?? "")}
            {...at(".tries")}
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
            {...at(".by")}
            onChange={(by) => onChange({ ...guard, by })}
          />{" "}
          within{" "}
          <SlotText
            label="Hours"
            inputMode="numeric"
            value={String(guard.hours ?? "")}
            {...at(".hours")}
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
        {...at(".then")}
        onChange={(next) => onChange({ ...guard, then: next })}
      />
      .
    </Sentence>
  );
}
