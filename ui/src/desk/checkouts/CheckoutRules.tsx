// Of a checkout: coupons there, and a lock with its reason.
import type { ReactNode } from "react";

import { Choice } from "../../kit/fields/Choice";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Row, Section } from "../../kit/Sheet";
import type { CheckoutBody } from "../editing/bodies";

interface Props {
  body: CheckoutBody;
  set: (name: string, value: unknown) => void;
  problem: (path: string) => string | undefined;
  isDisabled: boolean;
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
