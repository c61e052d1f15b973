// The charges of an order, and its papers.
import type { Schemas } from "../../api/client";
import { Section } from "../../kit/Sheet";
import { KINDS } from "./orderWords";
import { whenInFull } from "../../kit/format/when";

export function Charges({ found }: { found: Schemas["OrderView"] }) {
  return (
    <Section aria-labelledby="charges">
      <h2 id="charges">Charges</h2>
      {found.charges.length === 0 ? <p className="quiet">No money has moved.</p> : null}
      {found.transfers
        .filter((one) => one.state !== "matched")
        .map((one) => (
          <p key={one.id} className="quiet">
            {one.currency} {one.amount} came in by bank transfer from {one.payer || "somebody"}, and is set
            aside.
          </p>
        ))}
      {found.charges.map((charge) => (
        <p key={charge.reference}>
          <span className="money">
            {charge.currency} {charge.amount}
          </span>{" "}
          {found.paid_by ? `by ${found.paid_by}, ` : ""}
          {whenInFull(charge.at)}
          {found.card_from ? `. The card is from ${found.card_from}.` : ""}
          <br />
          <span className="quiet">
            {found.record ? (
              <>
                The gateway’s own record:{" "}
                <a className="mono" href={found.record} target="_blank" rel="noreferrer">
                  {charge.reference}
                </a>
              </>
            ) : (
              <>
                It is called <span className="mono">{charge.reference}</span>
              </>
            )}
          </span>
        </p>
      ))}
    </Section>
  );
}

/** The papers that were given out, to keep. */
export function PapersOf({ code, found }: { code: string; found: Schemas["OrderView"] }) {
  if (!found.papers.length) return null;
  const file = (number: string, kind: string) =>
    `/desk/api/sites/${code}/books/${found.mode}/paper.${kind}?number=${encodeURIComponent(number)}`;
  return (
    <Section aria-labelledby="papers">
      <h2 id="papers">Papers</h2>
      {found.papers.map((one) => (
        <div key={one.number}>
          <p>
            {KINDS[one.kind]} <span className="mono">{one.number}</span>:{" "}
            <a href={file(one.number, "pdf")} download>
              PDF
            </a>
            {one.no_ubl ? null : (
              <>
                ,{" "}
                <a href={file(one.number, "xml")} download>
                  UBL (EN 16931)
                </a>
              </>
            )}
          </p>
          {one.no_ubl ? <p className="quiet">Not as UBL. {one.no_ubl}</p> : null}
        </div>
      ))}
    </Section>
  );
}
