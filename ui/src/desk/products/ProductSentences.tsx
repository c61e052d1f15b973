// What kind of thing a product is, when it comes out, and how long it may be given back: in sentences.
import { SlotDate } from "../../kit/fields/Day";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { COUNTRIES } from "../../kit/format/countries";
import { KINDS, numberOr, type ProductBody, without, withValue } from "../editing/bodies";
import { slots } from "../editing/slots";

interface Props {
  body: ProductBody;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (body: ProductBody) => void;
}

const HELD: readonly (readonly [string, string])[] = [
  ["", "online"],
  ...COUNTRIES.map(([code, name]) => [code, `in ${name}`] as const),
];

export function KindSentence({ body, home, isDisabled, problem, onChange }: Props & { home: string }) {
  const { at, problems } = slots(problem, isDisabled);
  const set = (name: string, value: unknown) => onChange(withValue(body, name, value));
  return (
    <Sentence problems={problems}>
      <SlotChoice
        {...at("kind", "held_in", "weight_g")}
        invalid={false}
        label="Kind"
        value={body.kind}
        options={KINDS}
        onChange={(kind) => onChange(asKind(body, kind, home))}
      />
      {body.kind === "goods" ? (
        <>
          , weighing{" "}
          <SlotText
            {...at("weight_g")}
            label="Weight in grams"
            value={body.weight_g === undefined ? "" : String(body.weight_g)}
            placeholder="?"
            inputMode="numeric"
            onChange={(text) =>
              set("weight_g", text === "" ? undefined : /^\d+$/.test(text) ? Number(text) : text)
            }
          />{" "}
          g
        </>
      ) : null}
      {body.kind === "event" ? (
        <>
          , held{" "}
          <SlotChoice
            {...at("held_in")}
            label="Held in"
            value={body.held_in ?? ""}
            options={HELD}
            onChange={(country) => set("held_in", country || undefined)}
          />
        </>
      ) : null}
      , taxed as{" "}
      <SlotText
        {...at("counts_as")}
        label="Taxed as"
        value={body.counts_as ?? "standard"}
        onChange={(value) => set("counts_as", value)}
      />
      .
    </Sentence>
  );
}

/** An event is held somewhere or online, and only goods weigh something. */
function asKind(body: ProductBody, kind: ProductBody["kind"], home: string): ProductBody {
  const { held_in, weight_g, ...rest } = body;
  if (kind === "event") return { ...rest, kind, held_in: held_in ?? home };
  return kind === "goods" && weight_g !== undefined ? { ...rest, kind, weight_g } : { ...rest, kind };
}

const OUT = [
  ["out", "there already"],
  ["later", "not out yet"],
] as const;

const CHARGED = [
  ["at_order", "when it is ordered"],
  ["at_release", "when it comes out"],
] as const;

/** When it comes out, for what is sold before it is there. */
export function Availability({ body, isDisabled, problem, onChange }: Props) {
  const { at, problems } = slots(problem, isDisabled);
  const out = body.available_from === undefined;
  if (out && isDisabled) return null;
  const inAMonth = () => new Date(Date.now() + 30 * 86_400_000).toISOString().slice(0, 10);
  return (
    <Sentence problems={problems}>
      It is{" "}
      <SlotChoice
        isDisabled={isDisabled}
        label="Whether it is out"
        value={out ? "out" : "later"}
        options={OUT}
        onChange={(next) =>
          onChange(
            next === "out"
              ? without(without(body, "available_from"), "charged")
              : { ...body, available_from: inAMonth() },
          )
        }
      />
      {out ? null : (
        <>
          : it comes out on{" "}
          <SlotDate
            {...at("available_from")}
            label="Comes out on"
            value={body.available_from ?? ""}
            onChange={(day) => onChange({ ...body, available_from: day })}
          />
          , and is paid for{" "}
          <SlotChoice
            {...at("charged")}
            label="When it is paid for"
            value={body.charged ?? "at_order"}
            options={CHARGED}
            onChange={(charged) =>
              onChange(charged === "at_order" ? without(body, "charged") : { ...body, charged })
            }
          />
        </>
      )}
      .
    </Sentence>
  );
}

/** For how long buyers may give it back, and what their bank's statements show. */
export function Returns({ body, isDisabled, problem, onChange }: Props) {
  const { at, problems } = slots(problem, isDisabled);
  return (
    <Sentence problems={problems}>
      Buyers may give it back for{" "}
      <SlotText
        {...at("refund_days")}
        label="Days to give it back"
        value={body.refund_days === undefined ? "" : String(body.refund_days)}
        placeholder="no promised number of"
        inputMode="numeric"
        onChange={(text) => onChange(withValue(body, "refund_days", numberOr(text)))}
      />{" "}
      days after paying. Their statements show{" "}
      <SlotText
        {...at("statement")}
        label="What statements show"
        value={body.statement ?? ""}
        placeholder="the name of the business"
        onChange={(text) => onChange(withValue(body, "statement", text))}
      />{" "}
      where it is paid by itself.
    </Sentence>
  );
}
