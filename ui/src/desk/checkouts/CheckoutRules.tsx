// Of a checkout: coupons there, and a lock with its reason.
import type { ReactNode } from "react";

import { Choice } from "../../kit/fields/Choice";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Tick } from "../../kit/fields/Tick";
import { Row, Section } from "../../kit/Sheet";
import { withValue, type CheckoutBody } from "../editing/bodies";
import { useWaysOffered } from "../editing/useWaysOffered";

interface Props {
  body: CheckoutBody;
  set: (name: string, value: unknown) => void;
  problem: (path: string) => string | undefined;
  isDisabled: boolean;
}

const TAKE = [
  ["one", "One of these"],
  ["several", "As many of these as they like"],
  ["everyday", "Anything, in one basket"],
] as const;

type Take = (typeof TAKE)[number][0];

/** How many things a buyer may take there. */
export function Taking({
  body,
  edit,
  problem,
  isDisabled,
}: Omit<Props, "set"> & { edit: (body: CheckoutBody) => void }) {
  const now: Take = body.everyday ? "everyday" : (body.choose ?? "one");
  const take = (next: Take) => {
    const how = withValue(body, "everyday", next === "everyday" || undefined);
    edit(withValue(how, "choose", next === "several" ? next : undefined));
  };
  return (
    <Row>
      <Choice
        label="Buyers take"
        value={now}
        options={TAKE}
        problem={problem("everyday") ?? problem("choose")}
        isDisabled={isDisabled}
        onChange={take}
      />
      {now === "one" ? null : (
        <p className="quiet">
          {now === "several"
            ? "They put a basket together. It goes with them to the site’s other checkouts that take several."
            : "A basket from any of the site’s checkouts is paid here. What is chosen below is shown to begin with; it may be nothing."}
        </p>
      )}
    </Row>
  );
}

const OFF = [
  ["none", "Nothing"],
  ["percent", "A percentage"],
  ["amount", "An amount"],
] as const;

/** What comes off each thing that is sold there. */
export function OwnDiscount({ body, set, problem, isDisabled, base }: Props & { base: string }) {
  const { discount } = body;
  const how = !discount ? "none" : discount.amount ? "amount" : "percent";
  return (
    <Section aria-labelledby="own-discount">
      <h2 id="own-discount">Its own discount</h2>
      <Row>
        <Choice
          label="Off each thing bought here"
          value={how}
          options={OFF}
          isDisabled={isDisabled}
          onChange={(next) =>
            set(
              "discount",
              next === "none"
                ? undefined
                : next === "percent"
                  ? { percent: "10" }
                  : { amount: { [base]: "5.00" } },
            )
          }
        />
        {how === "percent" ? (
          <Field
            label="Per cent"
            value={discount?.percent ?? ""}
            problem={problem("discount.percent")}
            isDisabled={isDisabled}
            onChange={(percent) => set("discount", { percent })}
          />
        ) : null}
        {how === "amount" ? (
          <Field
            label={`Amount in ${base}`}
            hint="Off the line, however many pieces; in other currencies by the rate."
            value={discount?.amount?.[base] ?? ""}
            problem={problem(`discount.amount.${base}`) ?? problem("discount.amount")}
            isDisabled={isDisabled}
            onChange={(amount) => set("discount", { amount: { ...discount?.amount, [base]: amount } })}
          />
        ) : null}
      </Row>
    </Section>
  );
}

/** Which of the ways to pay are offered there: all of them, or some. */
export function WaysHere({ code, body, set, problem, isDisabled }: Props & { code: string }) {
  const { ways } = body;
  const rows = useWaysOffered(code, ways ?? []);
  const wrong = (ways ?? []).map((_, i) => problem(`ways[${i}]`)).find(Boolean) ?? problem("ways");
  return (
    <Section aria-labelledby="ways-here">
      <h2 id="ways-here">Ways to pay</h2>
      <Row>
        <Choice
          label="Offered here"
          value={ways ? "some" : "all"}
          options={[
            ["all", "All that the site offers"],
            ["some", "Only some of them"],
          ]}
          problem={wrong}
          isDisabled={isDisabled || !rows.length}
          onChange={(next) => set("ways", next === "all" ? undefined : rows.map(([way]) => way))}
        />
      </Row>
      {ways ? (
        <div>
          {rows.map(([way, name]) => (
            <Tick
              key={way}
              on={ways.includes(way)}
              onChange={(on) => {
                const next = rows
                  .map(([one]) => one)
                  .filter((one) => (one === way ? on : ways.includes(one)));
                if (next.length && !isDisabled) set("ways", next);
              }}
            >
              {name}
            </Tick>
          ))}
        </div>
      ) : null}
    </Section>
  );
}

const COUPONS = [
  ["offered", "Buyers may type one"],
  ["by_link", "Only a link brings one"],
  ["none", "None, but those that come by themselves"],
] as const;

export function CouponsHere({ body, set, problem, isDisabled }: Props) {
  const how = body.coupons ?? "offered";
  return (
    <Section aria-labelledby="coupons-here">
      <h2 id="coupons-here">Coupons</h2>
      <Row>
        <Choice
          label="At this checkout"
          value={how}
          options={COUPONS}
          isDisabled={isDisabled}
          onChange={(next) => set("coupons", next === "offered" ? undefined : next)}
        />
        {how === "offered" ? (
          <Field
            label="What opens the field"
            hint="The field is there only while a coupon can fit what is sold here."
            placeholder="Use a coupon"
            value={body.coupon_words ?? ""}
            problem={problem("coupon_words")}
            isDisabled={isDisabled}
            onChange={(words) => set("coupon_words", words)}
          />
        ) : null}
      </Row>
    </Section>
  );
}

/** What is locked says why, and is edited by whoever means it. */
export function Locked({ reason, onOpen, may }: { reason: string; onOpen: () => void; may: boolean }) {
  return (
    <Notice
      kind="attention"
      title="Locked"
      actions={
        may ? (
          <Confirm
            look="plain"
            question={`“${reason}” Edit it all the same?`}
            sure="Edit it"
            onConfirm={onOpen}
          >
            Edit it all the same
          </Confirm>
        ) : undefined
      }
    >
      {reason}
    </Notice>
  );
}

export function Lock({ body, set, problem, isDisabled }: Props): ReactNode {
  return (
    <Section aria-labelledby="lock">
      <h2 id="lock">Locked</h2>
      <Field
        label="Why it stays as it is"
        hint="With a reason, as “Printed on the box”, whoever wants to edit this checkout is asked first."
        value={body.locked ?? ""}
        problem={problem("locked")}
        isDisabled={isDisabled}
        onChange={(reason) => set("locked", reason)}
      />
    </Section>
  );
}
