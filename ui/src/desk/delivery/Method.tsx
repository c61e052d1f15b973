// One method of a zone: how it is priced, its steps, how long it takes.
import { Button } from "../../kit/Button";
import { SlotMoney, Sentence, SlotText, SlotChoice } from "../../kit/fields/Sentence";
import { type MethodBody, numberOr, withValue } from "../editing/bodies";
import { slots, type Slots } from "../editing/slots";

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

interface Part {
  method: MethodBody;
  base: string;
  at: Slots["at"];
  onChange: (next: MethodBody) => void;
}

/** A way to send it, in a sentence. Its parts are functions and no components: each tells the sentence what is wrong
 * with it, before the sentence is drawn. */
export function Method({
  isDisabled,
  problem,
  onRemove,
  ...given
}: Omit<Part, "at"> & {
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onRemove: () => void;
}) {
  const { at, problems } = slots(problem, isDisabled);
  at("", ".id", ".amount");
  const { method, base, onChange } = given;
  const { name } = method;
  const part = { ...given, at };
  const how = howOf(method);
  return (
    <Sentence problems={problems}>
      <SlotText
        {...at(".name")}
        label="Name of the way"
        value={name}
        onChange={(text) => onChange({ ...method, name: text })}
      />
      ,{" "}
      <SlotChoice
        label={`How ${name} is charged`}
        value={how}
        options={HOW}
        isDisabled={isDisabled}
        onChange={(next) => onChange(become(method, next, base))}
      />{" "}
      {how === "amount" || how === "each" ? amountSlot(part, how) : null}
      {how === "by_weight" ? weightSlots(part) : null}
      {how === "by_value" ? valueSlots(part) : null}
      {isDisabled || (how !== "by_weight" && how !== "by_value") ? null : (
        <Button look="plain" onPress={() => onChange(withStep(method, how, base))}>
          Add a step<span className="hidden"> to {name}</span>
        </Button>
      )}
      {how === "pick_up" ? null : (
        <>
          {freeSlots(part)}, {telephoneSlot(part)}
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

function become(method: MethodBody, next: How, base: string): MethodBody {
  const { id, name, free_from, telephone } = method;
  const bare: MethodBody = {
    id,
    name,
    ...(free_from ? { free_from } : {}),
    ...(telephone ? { telephone } : {}),
  };
  const amount = method.amount ?? method.each ?? { [base]: "5.00" };
  if (next === "pick_up") return { id, name, pick_up: true };
  if (next === "by_weight") return { ...bare, by_weight: [{ up_to_g: 2000, amount }] };
  if (next === "by_value") return { ...bare, by_value: [{ up_to: { [base]: "50.00" }, amount }, { amount }] };
  return { ...bare, [next]: amount };
}

type Money = Record<string, string>;

/** An amount in the base currency, at its place in the method. */
function moneySlot(
  { base, at }: Part,
  path: string,
  label: string,
  amounts: Money | undefined,
  store: (next: Money) => void,
  autoFocus = false,
) {
  return (
    <SlotMoney
      {...at(`${path}.${base}`)}
      autoFocus={autoFocus}
      label={label}
      currency={base}
      value={amounts?.[base] ?? ""}
      onChange={(text) => store({ ...amounts, [base]: text.replace(",", ".") })}
    />
  );
}

function amountSlot(part: Part, how: "amount" | "each") {
  const { method, onChange } = part;
  const store = (next: Money) => onChange({ ...method, [how]: next });
  return moneySlot(part, `.${how}`, `Amount of ${method.name}`, method[how], store);
}

/** The list with one of it changed. */
const changed = <One,>(all: One[], k: number, part: Partial<One>): One[] =>
  all.map((one, i) => (i === k ? { ...one, ...part } : one));

function weightSlots(part: Part) {
  const { method, at, onChange } = part;
  const steps = method.by_weight ?? [];
  const set = (k: number, next: Partial<(typeof steps)[number]>) =>
    onChange({ ...method, by_weight: changed(steps, k, next) });
  return steps.map((step, k) => (
    <span key={k}>
      {k ? "; " : ": "}up to{" "}
      <SlotText
        {...at(`.by_weight[${k}].up_to_g`)}
        label={`Grams of step ${k + 1} of ${method.name}`}
        autoFocus={step.up_to_g === ""}
        inputMode="numeric"
        value={String(step.up_to_g)}
        onChange={(text) => set(k, { up_to_g: numberOr(text) ?? "" })}
      />{" "}
      g at{" "}
      {moneySlot(
        part,
        `.by_weight[${k}].amount`,
        `Amount of step ${k + 1} of ${method.name}`,
        step.amount,
        (amount) => set(k, { amount }),
      )}
    </span>
  ));
}

function valueSlots(part: Part) {
  const { method, base, at, onChange } = part;
  const steps = method.by_value ?? [];
  const set = (k: number, next: Partial<(typeof steps)[number]>) =>
    onChange({ ...method, by_value: changed(steps, k, next) });
  return steps.map((step, k) => {
    at(`.by_value[${k}].up_to`);
    return (
      <span key={k}>
        {k ? "; " : ": "}
        {step.up_to ? (
          <>
            up to{" "}
            {moneySlot(
              part,
              `.by_value[${k}].up_to`,
              `Value of step ${k + 1} of ${method.name}`,
              step.up_to,
              (up_to) => set(k, { up_to }),
              step.up_to[base] === "",
            )}
          </>
        ) : (
          "above"
        )}{" "}
        at{" "}
        {moneySlot(
          part,
          `.by_value[${k}].amount`,
          `Amount of step ${k + 1} of ${method.name}`,
          step.amount,
          (amount) => set(k, { amount }),
        )}
      </span>
    );
  });
}

const FREE = [
  ["never", "never free"],
  ["from", "free from"],
] as const;

function freeSlots(part: Part) {
  const { method, base, at, onChange } = part;
  const { name, free_from } = method;
  const set = (from: Money | undefined) => onChange(withValue(method, "free_from", from));
  return (
    <>
      ,{" "}
      <SlotChoice
        label={`Whether ${name} is ever free`}
        value={free_from ? "from" : "never"}
        options={FREE}
        isDisabled={at().isDisabled}
        onChange={(which) => set(which === "from" ? { [base]: "75.00" } : undefined)}
      />
      {free_from ? (
        <> {moneySlot(part, ".free_from", `From which value ${name} is free`, free_from, set)} on</>
      ) : null}
    </>
  );
}

const RINGS = [
  ["no", "without a telephone number"],
  ["asked", "with a telephone number, if the buyer likes"],
  ["needed", "with a telephone number"],
] as const;

function telephoneSlot({ method, at, onChange }: Part) {
  return (
    <SlotChoice
      {...at(".telephone")}
      label={`Whether buyers give a telephone number for ${method.name}`}
      value={method.telephone ?? "no"}
      options={RINGS}
      onChange={(next) => onChange(withValue(method, "telephone", next === "no" ? undefined : next))}
    />
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
