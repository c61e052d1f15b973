// One method of a zone: how it is priced, its steps, how long it takes.
import { Button } from "../../kit/Button";
import { SlotMoney, Sentence, SlotText, SlotChoice } from "../../kit/fields/Sentence";
import { type MethodBody, numberOr, withValue } from "../editing/bodies";

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

export function Method({
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
    autoFocus = false,
  ) => (
    <SlotMoney
      autoFocus={autoFocus}
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
                autoFocus={step.up_to_g === ""}
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
                  {say(
                    `Value of step ${k + 1} of ${name}`,
                    step.up_to,
                    (up_to) =>
                      onChange({
                        ...method,
                        by_value: all.map((one, i) => (i === k ? { ...one, up_to } : one)),
                      }),
                    step.up_to[base] === "",
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

/** A further step, whose limit and amount are for the owner to type; a step without a limit stays the last. */
function withStep(method: MethodBody, how: How, base: string): MethodBody {
  const amount = { [base]: "" };
  if (how === "by_weight")
    return { ...method, by_weight: [...(method.by_weight ?? []), { up_to_g: "", amount }] };
  const steps = method.by_value ?? [];
  const limited = steps.filter((one) => one.up_to);
  const above = steps.filter((one) => !one.up_to);
  return { ...method, by_value: [...limited, { up_to: { [base]: "" }, amount }, ...above] };
}
