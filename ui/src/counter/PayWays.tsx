// The ways to pay, leaving for one, and waiting for a bank's approval.
import { useRef, useEffect } from "react";
import { type Counter, framed } from "./boot";
import { Group, WayList } from "./Group";
import type { CheckoutCode } from "./kept";
import { Column, Aside, PayButton, TextButton } from "./look";
import type { Phase } from "./useVisit";

/** The ways to pay, where there are several; what belongs to the chosen one stands below it. */
export function PayWays({
  ways,
  chosen,
  onChange,
  children,
}: {
  ways: PayWay[];
  chosen: PayWay | undefined;
  onChange: (gateway: string) => void;
  children: React.ReactNode;
}) {
  if (ways.length < 2) {
    const only = ways[0];
    return (
      <div>
        {only && only.kind !== "fields" ? (
          <p>
            <strong>{only.label}</strong>. {only.text || USUAL_TEXT[only.kind]}
          </p>
        ) : null}
        {children}
      </div>
    );
  }
  return (
    <Group>
      <legend>How you pay</legend>
      <WayList>
        {ways.map((one) => {
          const chosenOne = one.gateway === chosen?.gateway;
          const text = one.text || (chosenOne ? USUAL_TEXT[one.kind] : "");
          return (
            <div key={one.gateway} className={chosenOne ? "chosen" : ""}>
              <label>
                <input
                  type="radio"
                  name="way"
                  value={one.gateway}
                  checked={chosenOne}
                  onChange={() => onChange(one.gateway)}
                />
                <span>
                  <span className="name">{one.label}</span>
                  {text ? (
                    <>
                      <br />
                      <span className="soft">{text}</span>
                    </>
                  ) : null}
                </span>
              </label>
              {chosenOne ? children : null}
            </div>
          );
        })}
      </WayList>
    </Group>
  );
}

const USUAL_TEXT = {
  fields: "",
  off_site: "You go there to pay, and come back here.",
  person: "The next page says how.",
};

/** The buyer pays at the gateway's own site: they go there from the top window, or in a window of its own. */
export function Leaving({
  counter,
  code,
  phase,
  sent,
  problem,
  giveUp,
}: {
  counter: Counter;
  code: CheckoutCode;
  phase: Extract<Phase, { kind: "leaving" }>;
  /** Whether they are sent there at once: they have just pressed the button, here. */
  sent: boolean;
  problem: string | undefined;
  giveUp: () => Promise<void>;
}) {
  const label = counter.pay.find((one) => one.gateway === phase.way)?.label ?? "the payment service";
  const target = code === null ? "_blank" : framed ? "_top" : undefined;
  const left = useRef(false);
  useEffect(() => {
    if (!sent || framed || left.current) return;
    left.current = true;
    window.location.assign(phase.address);
  }, [sent, phase.address]);
  return (
    <Column>
      <h1>Pay with {label}</h1>
      <p>You pay on a page of its own. Nothing is charged before that, and this page goes on by itself.</p>
      {problem ? <Aside className="wrong">{problem}</Aside> : null}
      <PayButton as="a" href={phase.address} target={target} rel="noopener">
        Go to {label}
      </PayButton>
      <p>
        <TextButton type="button" onClick={() => void giveUp()}>
          Pay in another way
        </TextButton>
      </p>
    </Column>
  );
}

/** The page on which the buyer approves the charge; it is the bank's, in a frame of the gateway's origin. */
export function Approval({ address }: { address: string }) {
  const frame = useRef<HTMLIFrameElement>(null);
  useEffect(() => {
    frame.current?.scrollIntoView({ block: "center" });
    frame.current?.focus();
  }, []);
  return (
    <Aside role="group" aria-label="Your bank asks you">
      <strong>Your bank asks you to approve the payment.</strong>
      Nothing is charged before that. This page goes on by itself.
      <iframe
        ref={frame}
        src={address}
        title="Approval by your bank"
        style={{ width: "100%", height: 300, border: 0, display: "block", marginTop: 10 }}
      />
    </Aside>
  );
}

export type PayWay = Counter["pay"][number];
