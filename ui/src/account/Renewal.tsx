// The page of a mailed link: a charge that failed is paid, or one that the bank asks about is approved, without signing in.
import { useCallback, useEffect, useState } from "react";

import { api, data, Refused, type Schemas } from "../api/client";
import { money } from "../kit/format/money";
import { TypeCard } from "./TypeCard";
import { Aside, Column } from "../counter/look";
import type { RenewalBoot } from "../counter/boot";

type View = Schemas["RenewalView"];

export default function Renewal({ boot }: { boot: RenewalBoot }) {
  const [found, setFound] = useState<View>();
  const [trouble, setTrouble] = useState<string>();
  const [paid, setPaid] = useState(false);
  const load = useCallback(async () => {
    try {
      setFound(await data(api.POST("/counter/api/renewal", { body: { link: boot.link } })));
      setTrouble(undefined);
    } catch (error) {
      setTrouble(error instanceof Refused ? error.message : "Something went wrong.");
    }
  }, [boot.link]);
  useEffect(() => {
    const timer = setTimeout(() => void load());
    return () => clearTimeout(timer);
  }, [load]);
  // While the bank asks, or has not answered yet, what became of it is looked at again and again.
  const waits = found?.state === "approve" || found?.charging === true;
  useEffect(() => {
    if (!waits) return;
    const timer = setInterval(() => void load(), 1500);
    return () => clearInterval(timer);
  }, [waits, load]);
  if (!found)
    return (
      <Column aria-busy={!trouble}>{trouble ? <Aside className="wrong">{trouble}</Aside> : null}</Column>
    );
  const amount = money(found.currency, found.amount);
  if (found.state === "over")
    return (
      <Column>
        <h1>{found.what} has ended</h1>
        <p>Nothing is charged for it any more. To begin again, go to {boot.site_name}.</p>
        <Back boot={boot} />
      </Column>
    );
  if (found.state === "paid" && !found.charging)
    return (
      <Column>
        <h1>{paid ? "Thank you" : "It is paid"}</h1>
        <p role="status">Everything is paid for {found.what}, and it goes on. There is nothing to do.</p>
        <Back boot={boot} />
      </Column>
    );
  if (found.state === "approve" && found.approve_at)
    return (
      <Column>
        <h1>Approve {amount}</h1>
        <p>
          Your bank asks you whether {boot.site_name} may charge {amount} for {found.what}. Nothing is charged
          before that.
        </p>
        <iframe
          src={found.approve_at}
          title="Approval by your bank"
          style={{ width: "100%", height: 320, border: 0, display: "block" }}
        />
        <Back boot={boot} />
      </Column>
    );
  if (found.charging)
    return (
      <Column>
        <h1>Your bank has not answered yet</h1>
        <p role="status">
          {amount} for {found.what} is under way. This page tells you as soon as it is decided.
        </p>
        <Back boot={boot} />
      </Column>
    );
  return (
    <Column>
      <h1>
        Pay {amount} for {found.what}
      </h1>
      <p>
        The last charge was refused. Type a card, and everything goes on as before. The card is kept for
        later.
      </p>
      <TypeCard
        ways={found.pay}
        button={`Pay ${amount}`}
        send={(way, token) =>
          data(api.POST("/counter/api/renewal-card", { body: { link: boot.link, way, token } }))
        }
        onDone={() => {
          setPaid(true);
          void load();
        }}
      />
      <Back boot={boot} />
    </Column>
  );
}

function Back({ boot }: { boot: RenewalBoot }) {
  return (
    <p>
      <a href={boot.site_url}>Back to {boot.site_name}</a>
    </p>
  );
}
