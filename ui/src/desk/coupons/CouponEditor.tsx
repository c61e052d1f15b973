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

function CouponEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure, mayWord } = useRole(code);
  const base = useSite(code).data?.currencies[0] ?? "EUR";
  const body = draft.body as unknown as CouponBody;
  useOnTape("coupon", view.part.id, draft);
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const problem = (path: string) => fieldProblem(error, path);
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const common = { isDisabled: !mayConfigure };
  const renewals = body.renewals === undefined ? "first" : body.renewals === "all" ? "all" : "some";
  const problems = [
    "percent",
    "amount",
    `amount.${base}`,
    "minimum",
    `minimum.${base}`,
    "from",
    "until",
    "only",
    "id",
  ]
    .concat(["limit", "per_customer", "renewals", "combine", "automatic"])
    .map(problem);
  const takes = (kind: "percent" | "amount") => {
    const rest = without(without(body, "percent"), "amount");
    draft.edit(kind === "percent" ? { ...rest, percent: "10" } : { ...rest, amount: { [base]: "5.00" } });
  };
  return (
    <Body>
      <header>
        <Title
          label="Name for buyers"
          value={body.name ?? body.id}
          onChange={(value) => set("name", value === body.id ? undefined : value)}
          problem={problem("name")}
          isDisabled={!mayWord}
        />
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <Sentence problems={problems}>
        It takes off{" "}
        {body.percent !== undefined ? (
          <SlotText
            {...common}
            label="Percent"
            inputMode="decimal"
            value={body.percent}
            invalid={Boolean(problem("percent"))}
            onChange={(text) => draft.edit({ ...body, percent: text.trim() })}
          />
        ) : (
          <SlotMoney
            {...common}
            label={`Amount in ${base}`}
            currency=""
            value={body.amount?.[base] ?? ""}
            invalid={Boolean(problem(`amount.${base}`))}
            onChange={(text) => draft.edit({ ...body, amount: withAmount(body.amount, base, text) })}
          />
        )}{" "}
        <SlotChoice
          {...common}
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
          {...common}
          label="Which charges"
          value={renewals}
          options={FOR}
          onChange={(next) => set("renewals", next === "first" ? undefined : next === "all" ? "all" : 3)}
        />
        {renewals === "some" ? (
          <>
            , the first{" "}
            <SlotText
              {...common}
              label="Number of charges"
              inputMode="numeric"
              value={String(body.renewals)}
              invalid={Boolean(problem("renewals"))}
              onChange={(text) => draft.edit({ ...body, renewals: numberOr(text) ?? "" })}
            />
          </>
        ) : null}
        , for <Products code={code} body={body} isDisabled={!mayConfigure} onChange={draft.edit} />. It comes{" "}
        <SlotChoice
          {...common}
          label="How it comes"
          value={body.automatic ? "itself" : "typed"}
          options={COMES}
          onChange={(next) => set("automatic", next === "itself" ? true : undefined)}
        />
        , and goes{" "}
        <SlotChoice
          {...common}
          label="Whether it is combined"
          value={body.combine === false ? "no" : "yes"}
          options={[
            ["yes", "together with others"],
            ["no", "with no other"],
          ]}
          onChange={(next) => set("combine", next === "no" ? false : undefined)}
        />
        .
      </Sentence>
      <Sentence>
        It counts from{" "}
        <SlotMoney
          {...common}
          label={`Smallest order in ${base}`}
          currency={base}
          placeholder="any amount"
          value={body.minimum?.[base] ?? ""}
          invalid={Boolean(problem(`minimum.${base}`))}
          onChange={(text) => {
            const minimum = withAmount(body.minimum, base, text);
            set("minimum", Object.keys(minimum).length ? minimum : undefined);
          }}
        />{" "}
        on, from{" "}
        <SlotDay
          {...common}
          label="First day"
          none="now"
          value={body.from ?? ""}
          invalid={Boolean(problem("from"))}
          onChange={(day) => set("from", day)}
        />{" "}
        until{" "}
        <SlotDay
          {...common}
          label="Last day"
          none="any day"
          value={body.until ?? ""}
          invalid={Boolean(problem("until"))}
          onChange={(day) => set("until", day)}
        />
        , in{" "}
        <SlotText
          {...common}
          label="Orders in all"
          inputMode="numeric"
          placeholder="any number of"
          value={String(body.limit ?? "")}
          invalid={Boolean(problem("limit"))}
          onChange={(text) => set("limit", numberOr(text))}
        />{" "}
        orders,{" "}
        <SlotText
          {...common}
          label="Orders a customer"
          inputMode="numeric"
          placeholder="any number"
          value={String(body.per_customer ?? "")}
          invalid={Boolean(problem("per_customer"))}
          onChange={(text) => set("per_customer", numberOr(text))}
        />{" "}
        of each customer.
      </Sentence>
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
