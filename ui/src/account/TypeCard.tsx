// A card or an account that is kept for later charges, typed into the gateway's own fields.
import { useEffect, useRef, useState } from "react";

import { Refused, type Schemas } from "../api/client";
import { Choices, type Done } from "./accountParts";
import { CardFields, type CardHandle } from "../counter/CardFields";
import { Aside, PayButton } from "../counter/look";

type Way = Schemas["PayWayView"];

/** A card or an account is typed, traded for a token, and handed on; what its bank asks is answered in between. */
export function TypeCard({
  ways,
  button,
  send,
  approved,
  onDone,
}: {
  ways: Way[];
  button: string;
  send: (way: string, token: string) => Promise<Done>;
  approved?: (way: string, key: string) => Promise<Done>;
  onDone: (done: Done) => void;
}) {
  const [chosen, setChosen] = useState(ways[0]?.gateway ?? "");
  const way = ways.find((one) => one.gateway === chosen);
  const handle = useRef<CardHandle>(null);
  const [busy, setBusy] = useState(false);
  const [error, setError] = useState<string>();
  const [approval, setApproval] = useState<{ address: string; key: string | null }>();
  const [round, setRound] = useState(0);
  const take = (done: Done) => {
    if (done.state === "refused") {
      setError(`${done.message ?? "It was refused."} Nothing was charged.`);
      setApproval(undefined);
      setRound((n) => n + 1); // a token serves once: the fields begin anew
    } else if (done.state === "pending" && done.approve_at) {
      setApproval({ address: done.approve_at, key: done.key ?? null });
    } else onDone(done);
  };
  const press = async () => {
    if (busy || !way) return;
    setBusy(true);
    setError(undefined);
    const answer = (await handle.current?.tokenise()) ?? { kind: "unreachable" };
    try {
      if (answer.kind === "token") take(await send(way.gateway, answer.token));
      else if (answer.kind === "unreachable") setError("The fields do not answer. Check your connection.");
    } catch (caught) {
      setError(caught instanceof Refused ? caught.message : "Something went wrong. Try again.");
      setRound((n) => n + 1);
    }
    setBusy(false);
  };
  useEffect(() => {
    const key = approval?.key;
    if (!key || !approved || !way) return;
    let here = true;
    const timer = setInterval(() => {
      approved(way.gateway, key).then(
        (done) => {
          if (here && done.state !== "pending") take(done);
        },
        () => undefined, // asked again in a moment
      );
    }, 1500);
    return () => {
      here = false;
      clearInterval(timer);
    };
  });
  if (!way?.fields_address || !way.origin) return <p>No card can be added here at the moment.</p>;
  return (
    <>
      {ways.length > 1 ? (
        <Choices>
          <legend>How you pay</legend>
          {ways.map((one) => (
            <label key={one.gateway}>
              <input
                type="radio"
                name="way"
                checked={one.gateway === chosen}
                onChange={() => setChosen(one.gateway)}
              />
              {one.label}
            </label>
          ))}
        </Choices>
      ) : null}
      <CardFields
        key={`${way.gateway} ${round}`}
        ref={handle}
        title={`${way.label} details`}
        address={way.fields_address}
        origin={way.origin}
        onEnter={() => void press()}
      />
      {error ? (
        <Aside className="wrong" role="alert">
          {error}
        </Aside>
      ) : null}
      {approval ? (
        <Aside role="group" aria-label="Your bank asks you">
          <strong>Your bank asks you to approve it.</strong>
          <iframe
            src={approval.address}
            title="Approval by your bank"
            style={{ width: "100%", height: 300, border: 0, display: "block", marginTop: 10 }}
          />
        </Aside>
      ) : null}
      <PayButton type="button" aria-disabled={busy} onClick={() => void press()}>
        {busy ? "One moment …" : button}
      </PayButton>
    </>
  );
}
