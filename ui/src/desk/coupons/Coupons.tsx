// Coupons: what each takes off, of what, for whom and how long; and what that costs.
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { Form } from "react-aria-components";
import { useParams } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Copy } from "../../kit/Copy";
import { Empty } from "../../kit/Empty";
import { Field } from "../../kit/fields/Field";
import { Finder, fitting } from "../../kit/fields/Finder";
import { Notice } from "../../kit/Notice";
import { Sentence, SlotChoice, SlotDay, SlotMoney, SlotText } from "../../kit/fields/Sentence";
import { Body, Row, Section, Sheet, Table } from "../../kit/Sheet";
import { Title } from "../../kit/fields/Title";
import { grouped } from "../../kit/format/money";
import { ArchivePart } from "../editing/ArchivePart";
import { Arrange } from "../editing/Arrange";
import { PartList } from "../editing/PartList";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { ProductRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { numberOr, withAmount, without, withValue, type CouponBody } from "../editing/bodies";
import { historyOf } from "../editing/editHistory";
import { useGo } from "../room/places";
import { part, parts, placements, refresh, useSite } from "../queries";
import { useRole } from "../room/role";
import { useOnTape, useRoll } from "../tape/tapeState";
import { useDraft } from "../editing/useDraft";

export function Coupons() {
  const { site: code = "", id } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const asked = useInfiniteQuery(parts(code, "coupon", sought));
  const { mayConfigure } = useRole(code);
  const go = useGo();
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const lines = asked.data.pages.flatMap((page) => page.parts);
  const chosen = id ?? (sought ? undefined : lines[0]?.id);
  const add = () => go(`/s/${code}/coupons/new`);
  return (
    <WithRooms>
      <ProductRooms />
      <Sheet tabIndex={-1} aria-label="Coupons">
        <PartList
          one="coupon"
          label="All coupons"
          asked={asked}
          search={search}
          onSearch={setSearch}
          to={`/s/${code}/coupons`}
          chosen={chosen}
          action={mayConfigure ? <Button onPress={add}>Add a coupon</Button> : null}
        />
        {id === "new" ? (
          <NewCoupon code={code} />
        ) : chosen ? (
          <Chosen key={chosen} code={code} id={chosen} />
        ) : (
          <Empty
            title="No coupons yet"
            action={
              mayConfigure ? (
                <Button look="main" onPress={add}>
                  Add a coupon
                </Button>
              ) : undefined
            }
          >
            A coupon takes something off: typed by the buyer, brought along by a link, or by itself.
          </Empty>
        )}
      </Sheet>
    </WithRooms>
  );
}

function Chosen({ code, id }: { code: string; id: string }) {
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

/** What it costs on each price, one buyer for a year. */
function Costs({ base }: { base: string }) {
  const costs = useRoll().tapes?.costs ?? [];
  if (!costs.length) return null;
  return (
    <Section aria-labelledby="costs">
      <h2 id="costs">What it costs</h2>
      <Table style={{ maxWidth: 620 }}>
        <thead>
          <tr>
            <th scope="col">One buyer of</th>
            <th scope="col" className="amount">
              first charge
            </th>
            <th scope="col" className="amount" style={{ paddingLeft: 24 }}>
              in a year
            </th>
          </tr>
        </thead>
        <tbody>
          {costs.map((one) => (
            <tr key={one.price}>
              <th scope="row">
                {one.name}
                {one.why_not ? <span className="quiet"> {one.why_not}</span> : null}
              </th>
              <td className="amount">
                {base} {grouped(one.first)}
              </td>
              <td className="amount" style={{ paddingLeft: 24 }}>
                {base} {grouped(one.year)}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="quiet">
        A discount adds up by charges, not by sign-ups: this is one buyer who stays a year.
      </p>
    </Section>
  );
}

/** Links that bring the coupon along. */
function Links({ code, coupon }: { code: string; coupon: string }) {
  const asked = useQuery(placements(code));
  const open = asked.data ?? [];
  if (!open.length) return null;
  return (
    <Section aria-labelledby="links">
      <h2 id="links">Links that bring it along</h2>
      <Table>
        <tbody>
          {open.slice(0, 8).map((one) => {
            const link = `${one.link}?coupon=${encodeURIComponent(coupon)}`;
            return (
              <tr key={one.checkout}>
                <th scope="row">{one.name}</th>
                <td className="mono" style={{ overflowWrap: "anywhere" }}>
                  {link}
                </td>
                <td>
                  <Copy text={link}>{`Copy link to ${one.name}`}</Copy>
                </td>
              </tr>
            );
          })}
        </tbody>
      </Table>
    </Section>
  );
}

function NewCoupon({ code }: { code: string }) {
  const [name, setName] = useState("");
  const [percent, setPercent] = useState("10");
  const queries = useQueryClient();
  const go = useGo();
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
          params: { path: { site: code, kind: "coupon", part_id: name.trim() || "-" } },
          body: { seen: 0, body: { id: name.trim(), percent: percent.trim() } },
        }),
      ),
    onSuccess: async (made) => {
      historyOf(code).note(made, made.id, null);
      await refresh(queries, code);
      go(`/s/${code}/coupons/${made.id}`);
    },
  });
  const known = ["id", "percent"].some((path) => fieldProblem(asked.error, path));
  return (
    <Body>
      <header>
        <h1>Add a coupon</h1>
        <p className="quiet">It goes into the draft. Nobody can use it before the next release.</p>
      </header>
      {asked.error && !known ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : "It was not stored. Try again."}
        </Notice>
      ) : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
        style={{ display: "flex", flexDirection: "column", gap: 16 }}
      >
        <Row>
          <Field
            label="Code"
            hint="What buyers type, as in SPRING-10. Small and capital letters are alike."
            value={name}
            onChange={setName}
            autoFocus
            problem={fieldProblem(asked.error, "id")}
          />
          <Field
            label="Percent off"
            hint="It can become an amount afterwards."
            amount
            value={percent}
            onChange={setPercent}
            problem={fieldProblem(asked.error, "percent")}
          />
        </Row>
        <div>
          <Button type="submit" look="main" isPending={asked.isPending}>
            Add the coupon
          </Button>
        </div>
      </Form>
    </Body>
  );
}
