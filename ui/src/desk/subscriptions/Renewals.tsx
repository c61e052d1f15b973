// Renewals: when a failing charge is tried again, which mails go out ahead, what customers may do by themselves.
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Body, Section } from "../../kit/Sheet";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { PaymentRooms } from "../room/StageRooms";
import { type SubscriptionsBody } from "../editing/bodies";
import { slots } from "../editing/slots";

export const Renewals = () => (
  <PartRoom rooms={<PaymentRooms />} name="Renewals" kind="subscriptions">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

const May = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
  label {
    display: inline-flex;
    gap: 9px;
    align-items: center;
    padding: 4px 0;
  }
  input {
    width: 17px;
    height: 17px;
    accent-color: var(--verdigris);
  }
`;

const ALL = ["change", "quantity", "pause", "cancel"] as const;
const MAY: Record<(typeof ALL)[number], string> = {
  change: "change to another plan of a ladder",
  quantity: "change how many they get",
  pause: "pause",
  cancel: "cancel, and take that back",
};
const RETRIES = [3, 7, 12];
const GRACE = 14;

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const body = draft.body as SubscriptionsBody;
  const set = (name: keyof SubscriptionsBody & string, value: unknown) =>
    draft.edit({ ...body, [name]: value });
  const retries = body.retries ?? RETRIES;
  const may = body.customers_may ?? [...ALL];
  const days = (name: "before_trial_ends" | "before_yearly" | "before_card_expires", usual: number) => {
    const value = name in body ? body[name] : usual;
    return value;
  };
  const mail = (
    name: "before_trial_ends" | "before_yearly" | "before_card_expires",
    usual: number,
    label: string,
    ahead: string,
  ) => {
    const value = days(name, usual);
    const { at, problems } = slots(problem, off);
    return (
      <Sentence problems={problems}>
        <SlotChoice
          label={`${label}: whether a mail goes out`}
          value={value === null ? "no" : "yes"}
          options={[
            ["yes", "A mail goes out"],
            ["no", "No mail goes out"],
          ]}
          isDisabled={off}
          onChange={(which) => set(name, which === "no" ? null : usual)}
        />{" "}
        {value === null ? null : (
          <>
            <SlotText
              label={label}
              value={String(value ?? usual)}
              inputMode="numeric"
              {...at(name)}
              onChange={(text) => set(name, whole(text))}
            />{" "}
            days{" "}
          </>
        )}
        {ahead}
      </Sentence>
    );
  };
  const failing = slots(problem, off);
  const unused = slots(problem, off);
  return (
    <Body>
      <header>
        <h1>Renewals</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <Section aria-labelledby="failing">
        <h2 id="failing">When a charge is refused</h2>
        <Sentence problems={failing.problems}>
          It is tried again{" "}
          <SlotText
            label="Days after it fell due on which it is tried again"
            value={retries.join(", ")}
            {...failing.at("retries", ...retries.map((_, i) => `retries[${i}]`))}
            onChange={(text) => set("retries", listed(text))}
          />{" "}
          days after it fell due. Each time the customer gets a mail with a link to pay, without signing in.
          The service goes on for{" "}
          <SlotText
            label="Days of grace"
            value={String(body.grace ?? GRACE)}
            inputMode="numeric"
            {...failing.at("grace")}
            onChange={(text) => set("grace", whole(text))}
          />{" "}
          days; then the subscription ends.
        </Sentence>
      </Section>
      <Section aria-labelledby="ahead">
        <h2 id="ahead">Ahead of a charge</h2>
        {mail("before_trial_ends", 3, "Days before a trial ends", "before a trial ends.")}
        {mail(
          "before_yearly",
          14,
          "Days before a yearly renewal",
          "before a renewal that comes once a year or less often.",
        )}
        {mail("before_card_expires", 20, "Days before a card expires", "before a card expires.")}
      </Section>
      <Section aria-labelledby="change">
        <h2 id="change">When a plan is changed</h2>
        <Sentence problems={unused.problems}>
          Going up takes effect at once, and unused time is credited{" "}
          <SlotChoice
            label="How unused time is measured"
            value={body.unused ?? "seconds"}
            options={[
              ["seconds", "to the second"],
              ["days", "in whole days, the day of the change being used"],
            ]}
            {...unused.at("unused")}
            onChange={(which) => set("unused", which)}
          />
          . Going down takes effect when the paid time ends.
        </Sentence>
      </Section>
      <Section aria-labelledby="may">
        <h2 id="may">What customers may do by themselves</h2>
        <May>
          {ALL.map((one) => (
            <li key={one}>
              <label>
                <input
                  type="checkbox"
                  checked={may.includes(one)}
                  disabled={off}
                  onChange={(event) =>
                    set(
                      "customers_may",
                      ALL.filter((other) => (other === one ? event.target.checked : may.includes(other))),
                    )
                  }
                />
                {MAY[one]}
              </label>
            </li>
          ))}
        </May>
        <p className="quiet">
          A new card, an address and a tax number can always be changed, and papers always be read. Whatever
          they may not do, the desk does for them.
        </p>
      </Section>
    </Body>
  );
}

/** A whole number as it was typed; what is none is sent as it is, and refused with its reason. */
const whole = (text: string): number | string => (/^\d+$/.test(text.trim()) ? Number(text) : text);

const listed = (text: string): (number | string)[] =>
  text
    .split(/[,;\s]+/)
    .filter((one) => one !== "")
    .map(whole);
