// One coupon: what it takes off, for what, for whom and for how long.
import { useQuery, useInfiniteQuery } from "@tanstack/react-query";
import { useState, useDeferredValue } from "react";
import { Refused, type Schemas, fieldProblem } from "../../api/client";
import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Finder, fitting } from "../../kit/fields/Finder";
import { Sentence, SlotText, SlotMoney, SlotChoice } from "../../kit/fields/Sentence";
import { Title } from "../../kit/fields/Title";
import { Body } from "../../kit/Sheet";
import { ArchivePart } from "../editing/ArchivePart";
import { Arrange } from "../editing/Arrange";
import { type CouponBody, withValue, without, withAmount, numberOr } from "../editing/bodies";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { slots } from "../editing/slots";
import { useDraft } from "../editing/useDraft";
import { part, useSite, parts } from "../queries";
import { useRole } from "../room/role";
import { Waiting } from "../room/Waiting";
import { useOnTape } from "../tape/tapeState";
import { Costs, Links } from "./CouponCosts";
import { SlotDay } from "../../kit/fields/Day";

export function Chosen({ code, id }: { code: string; id: string }) {
  const asked = useQuery(part(code, "coupon", id));
  if (asked.error instanceof Refused && asked.error.problem.status === 404)
    return <Empty title="No such coupon">It may have been archived. Choose one from the list.</Empty>;
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return <CouponEditor code={code} view={asked.data} />;
}

const FOR = [
  ["first", "the first charge only"],
  ["some", "the first few charges"],
  ["all", "every charge"],
] as const;

const COMES = [
  ["typed", "when the buyer types it, or a link brings it along"],
  ["itself", "by itself"],
] as const;

const WHOM = [
  ["any", "any customer"],
  ["new", "who has not bought before"],
] as const;

const COMBINED = [
  ["yes", "together with others"],
  ["no", "with no other"],
] as const;

function CouponEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure, mayWord } = useRole(code);
  const base = useSite(code).data?.currencies[0] ?? "EUR";
  const body = draft.body as unknown as CouponBody;
  useOnTape("coupon", view.part.id, draft);
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const problem = (path: string) => fieldProblem(error, path);
  const sentence = { body, base, isDisabled: !mayConfigure, problem, onChange: draft.edit };
  return (
    <Body>
      <header>
        <Title
          label="Name for buyers"
          value={body.name ?? body.id}
          onChange={(value) => draft.edit(withValue(body, "name", value === body.id ? undefined : value))}
          problem={problem("name")}
          isDisabled={!mayWord}
        />
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <TakesOff {...sentence} code={code} />
      <Counts {...sentence} />
      <Costs base={base} />
      {body.automatic ? null : <Links code={code} coupon={body.id} />}
      {mayConfigure ? (
        <>
          <Arrange code={code} kind="coupon" id={view.part.id} to={`/s/${code}/coupons`} />
          <ArchivePart code={code} part={view.part} name={body.name ?? body.id} to={`/s/${code}/coupons`} />
        </>
      ) : null}
    </Body>
  );
}

interface Part {
  body: CouponBody;
  base: string;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (body: CouponBody) => void;
}

/** How much it takes off, of which charges, for which products, and how it comes. */
function TakesOff({ code, body, base, isDisabled, problem, onChange }: Part & { code: string }) {
  const { at, problems } = slots(problem, isDisabled);
  at("id", "percent", "amount", "renewals", "only", "combine", "automatic");
  const set = (name: string, value: unknown) => onChange(withValue(body, name, value));
  const renewals = body.renewals === undefined ? "first" : body.renewals === "all" ? "all" : "some";
  const takes = (kind: "percent" | "amount") => {
    const rest = without(without(body, "percent"), "amount");
    onChange(kind === "percent" ? { ...rest, percent: "10" } : { ...rest, amount: { [base]: "5.00" } });
  };
  return (
    <Sentence problems={problems}>
      It takes off{" "}
      {body.percent !== undefined ? (
        <SlotText
          {...at("percent")}
          label="Percent"
          decimal
          value={body.percent}
          onChange={(text) => onChange({ ...body, percent: text.trim() })}
        />
      ) : (
        <SlotMoney
          {...at(`amount.${base}`)}
          label={`Amount in ${base}`}
          currency=""
          value={body.amount?.[base] ?? ""}
          onChange={(text) => onChange({ ...body, amount: withAmount(body.amount, base, text) })}
        />
      )}{" "}
      <SlotChoice
        isDisabled={isDisabled}
        label="Percentage or amount"
        value={body.percent !== undefined ? "percent" : "amount"}
        options={[
          ["percent", "percent"],
          ["amount", base],
        ]}
        onChange={takes}
      />{" "}
      of{" "}
      <SlotChoice
        isDisabled={isDisabled}
        label="Which charges"
        value={renewals}
        options={FOR}
        onChange={(next) => set("renewals", next === "first" ? undefined : next === "all" ? "all" : 3)}
      />
      {renewals === "some" ? (
        <>
          , the first{" "}
          <SlotText
            {...at("renewals")}
            label="Number of charges"
            inputMode="numeric"
            value={String(body.renewals)}
            onChange={(text) => onChange({ ...body, renewals: numberOr(text) ?? "" })}
          />
        </>
      ) : null}
      , for <Products code={code} body={body} isDisabled={isDisabled} onChange={onChange} />. It comes{" "}
      <SlotChoice
        isDisabled={isDisabled}
        label="How it comes"
        value={body.automatic ? "itself" : "typed"}
        options={COMES}
        onChange={(next) => set("automatic", next === "itself" ? true : undefined)}
      />
      , and goes{" "}
      <SlotChoice
        isDisabled={isDisabled}
        label="Whether it is combined"
        value={body.combine === false ? "no" : "yes"}
        options={COMBINED}
        onChange={(next) => set("combine", next === "no" ? false : undefined)}
      />
      .
    </Sentence>
  );
}

/** From which amount, in which days, and how often it counts. */
function Counts({ body, base, isDisabled, problem, onChange }: Part) {
  const { at, problems } = slots(problem, isDisabled);
  at("minimum");
  const set = (name: string, value: unknown) => onChange(withValue(body, name, value));
  return (
    <Sentence problems={problems}>
      It counts from{" "}
      <SlotMoney
        {...at(`minimum.${base}`)}
        label={`Smallest order in ${base}`}
        currency={base}
        placeholder="any amount"
        value={body.minimum?.[base] ?? ""}
        onChange={(text) => {
          const minimum = withAmount(body.minimum, base, text);
          set("minimum", Object.keys(minimum).length ? minimum : undefined);
        }}
      />{" "}
      on, from{" "}
      <SlotDay
        {...at("from")}
        label="First day"
        none="now"
        value={body.from ?? ""}
        onChange={(day) => set("from", day)}
      />{" "}
      until{" "}
      <SlotDay
        {...at("until")}
        label="Last day"
        none="any day"
        value={body.until ?? ""}
        onChange={(day) => set("until", day)}
      />
      , in{" "}
      <SlotText
        {...at("limit")}
        label="Orders in all"
        inputMode="numeric"
        placeholder="any number of"
        value={String(body.limit ?? "")}
        onChange={(text) => set("limit", numberOr(text))}
      />{" "}
      orders, for{" "}
      <SlotChoice
        {...at("customer")}
        label="For whom"
        value={body.customer ?? "any"}
        options={WHOM}
        onChange={(next) => set("customer", next === "new" ? next : undefined)}
      />
      ,{" "}
      <SlotText
        {...at("per_customer")}
        label="Orders a customer"
        inputMode="numeric"
        placeholder="any number"
        value={String(body.per_customer ?? "")}
        onChange={(text) => set("per_customer", numberOr(text))}
      />{" "}
      of each customer.
    </Sentence>
  );
}

/** The products a coupon is for, named in the sentence; one is added by name and taken out at a press. */
function Products({
  code,
  body,
  isDisabled,
  onChange,
}: {
  code: string;
  body: CouponBody;
  isDisabled: boolean;
  onChange: (body: CouponBody) => void;
}) {
  const [adding, setAdding] = useState(false);
  const [typed, setTyped] = useState("");
  const asked = useInfiniteQuery(parts(code, "product", useDeferredValue(typed.trim())));
  const found = asked.data?.pages.flatMap((page) => page.parts) ?? [];
  const only = body.only ?? [];
  const set = (next: string[]) => onChange(next.length ? { ...body, only: next } : without(body, "only"));
  return (
    <>
      {only.length === 0 ? "all products" : null}
      {only.map((id, i) => (
        <span key={id}>
          {i ? " and " : ""}
          <strong>{found.find((one) => one.id === id)?.name ?? id}</strong>
          {isDisabled ? null : (
            <Button look="plain" onPress={() => set(only.filter((one) => one !== id))}>
              take out<span className="hidden"> {id}</span>
            </Button>
          )}
        </span>
      ))}
      {isDisabled ? null : adding ? (
        <span style={{ display: "inline-block", width: 240, verticalAlign: "middle", fontSize: 15 }}>
          <Finder
            label="Product it is for"
            bare
            atOnce
            placeholder="Find a product"
            found={fitting(
              found
                .filter((one) => !only.includes(one.id))
                .map((one) => ({ key: one.id, name: one.name, words: one.words })),
              typed,
              asked.isPlaceholderData,
            )}
            typed={typed}
            onType={setTyped}
            onChoose={(id) => {
              setTyped("");
              setAdding(false);
              set([...only, id]);
            }}
            nothing="No product is called that."
          />
        </span>
      ) : (
        <Button look="plain" onPress={() => setAdding(true)}>
          {only.length ? "and another" : "only some"}
        </Button>
      )}
    </>
  );
}
