import { useEffect } from "react";

import { Summary } from "./Summary";
import { Column, PayButton } from "./look";
import { framed, tell, type ConfirmationBoot } from "./boot";

/** Where a buyer lands: what was bought, how it was paid, and the way back. */
export function Confirmation({ boot }: { boot: ConfirmationBoot }) {
  useEffect(() => tell("ready"), []);
  const paid = boot.paid_at
    ? new Date(boot.paid_at).toLocaleString("en-GB", { dateStyle: "long", timeStyle: "short" })
    : "";
  return (
    <Column>
      <div>
        <h1>Thank you, {boot.name}</h1>
        <p className="lead">
          {boot.mode === "test"
            ? "This was a test sale: no money moved, and nothing will be sent."
            : `Your payment has arrived. Keep this page: it stays at its address.`}
        </p>
      </div>
      <Summary quote={boot.quote} totalLabel="Paid" />
      <p>
        Order <strong>{boot.code}</strong>, {paid}
        {boot.card_ending ? `, by card ending in ${boot.card_ending}` : ""}. For {boot.email}.
      </p>
      {boot.promises.map((one) => (
        <p key={one.name}>
          {one.name} can be given back until{" "}
          {new Date(one.until).toLocaleDateString("en-GB", { dateStyle: "long", timeZone: "UTC" })}.
        </p>
      ))}
      {boot.papers.map((paper) => (
        <p key={paper.number}>
          <a href={paper.pdf} target={framed ? "_blank" : undefined} rel="noopener">
            Your {paper.kind} {paper.number} (PDF)
          </a>
          {paper.ubl ? (
            <>
              , or{" "}
              <a href={paper.ubl} target={framed ? "_blank" : undefined} rel="noopener">
                for your bookkeeping program (UBL)
              </a>
            </>
          ) : null}
        </p>
      ))}
      {framed ? (
        <PayButton type="button" onClick={() => tell("close")}>
          Back to {boot.site_name}
        </PayButton>
      ) : (
        <p>
          <a href={boot.site_url}>Back to {boot.site_name}</a>
        </p>
      )}
    </Column>
  );
}
