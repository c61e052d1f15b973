// Another plan, how many, a pause, an end.
import { lazy, Suspense, useState } from "react";
import { styled } from "styled-components";
import { TextField } from "../counter/Fields";
import { PayButton } from "../counter/look";
import { money } from "../kit/format/money";
import { Filled, Choices } from "./accountParts";
import { type Sub, day } from "./standing";

/** The kit's field in the counter's colours, and as high as its others. */
const AtCounter = styled.div`
  --tape: var(--ground);
  --verdigris: var(--brand);
  --pencil: var(--soft);
  [role="group"] {
    min-height: 44px;
    align-content: center;
  }
`;

// Met by few, and as large as the rest of the page.
const Day = lazy(() => import("../kit/fields/Day").then((it) => ({ default: it.Day })));

export function ChangePlan({
  sub,
  busy,
  onAsk,
}: {
  sub: Sub;
  busy: boolean;
  onAsk: (price: string) => void;
}) {
  const [to, setTo] = useState(sub.plans[0]?.price ?? "");
  return (
    <Filled onSend={() => onAsk(to)}>
      <Choices>
        <legend className="hidden">The plans there are</legend>
        {sub.plans.map((one) => (
          <label key={one.price}>
            <input
              type="radio"
              name={`plan ${sub.code}`}
              checked={to === one.price}
              onChange={() => setTo(one.price)}
            />
            <span>
              {one.name}, {money(sub.currency, one.amount)} every {one.every}
            </span>
          </label>
        ))}
      </Choices>
      <PayButton type="submit" aria-disabled={busy || !to} style={{ width: "100%" }}>
        Show what it costs
      </PayButton>
    </Filled>
  );
}

export function HowMany({
  sub,
  busy,
  onAsk,
}: {
  sub: Sub;
  busy: boolean;
  onAsk: (quantity: number) => void;
}) {
  const [many, setMany] = useState(String(sub.quantity));
  return (
    <Filled
      onSend={() => {
        if (/^\d+$/.test(many)) onAsk(Number(many));
      }}
    >
      <TextField
        label={`How many, from ${sub.quantity_least} to ${sub.quantity_most}`}
        required
        name="quantity"
        value={many}
        problem={undefined}
        onChange={setMany}
      />
      <PayButton type="submit" aria-disabled={busy || !/^\d+$/.test(many)}>
        Show what it costs
      </PayButton>
    </Filled>
  );
}

export function Pause({ sub, busy, onPause }: { sub: Sub; busy: boolean; onPause: (until: string) => void }) {
  const [until, setUntil] = useState("");
  return (
    <Filled onSend={() => onPause(until)}>
      <p>
        What you have paid for goes on until {day(sub.paid_until)}. From then on nothing is charged until you
        go on.
      </p>
      <AtCounter>
        <Suspense fallback={null}>
          <Day label="Go on by itself on (if you like)" value={until} onChange={setUntil} />
        </Suspense>
      </AtCounter>
      <PayButton type="submit" aria-disabled={busy}>
        Pause it
      </PayButton>
    </Filled>
  );
}

/** What ending it now gives back, in a sentence or two; nothing where it gives nothing back. */
function givenBack({ gives_back: back, currency }: Sub): string {
  if (!back) return "";
  if (!back.paid && !back.kept) return " Nothing of what you paid is unused, so nothing is given back.";
  const paid = back.paid
    ? ` ${money(currency, back.paid)}, the unused part of what you paid, is given back the way you paid it.`
    : "";
  const kept = back.kept
    ? ` ${money(currency, back.kept)} that was paid with what was left of earlier payments is kept for you.`
    : "";
  return paid + kept;
}

export function Cancel({
  sub,
  busy,
  onCancel,
}: {
  sub: Sub;
  busy: boolean;
  onCancel: (reason: string) => void;
}) {
  const [reason, setReason] = useState("");
  return (
    <Filled onSend={() => onCancel(reason)}>
      <p>
        {sub.ends_when === "at_once"
          ? `It ends at once.${givenBack(sub)}`
          : `It goes on until ${day(sub.paid_until)}, and nothing more is charged. Until then you can take this back.`}
      </p>
      <TextField label="Why?" name="reason" value={reason} problem={undefined} onChange={setReason} />
      <PayButton type="submit" aria-disabled={busy}>
        Cancel it
      </PayButton>
    </Filled>
  );
}
