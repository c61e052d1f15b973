// What was bought, and by whom.
import type { Schemas } from "../../api/client";
import { percent } from "../../kit/format/percent";
import { treatmentWords } from "../../kit/format/treatments";
import { Section, Table } from "../../kit/Sheet";
import { NUMBERS } from "./orderWords";

export function Bought({ found }: { found: Schemas["OrderView"] }) {
  const quote = found.quote as unknown as Schemas["QuoteView"];
  return (
    <Section aria-label="What was bought">
      <Table>
        <tbody>
          {quote.lines.map((line) => (
            <tr key={line.price}>
              <th scope="row">
                {line.quantity > 1 ? `${line.quantity} × ` : ""}
                {line.name}
              </th>
              <td className="amount">{line.total}</td>
            </tr>
          ))}
          {quote.discounts.map((one) => (
            <tr key={one.coupon ?? one.name}>
              <th scope="row" className="quiet">
                {one.name}, {one.words}
              </th>
              <td className="amount pencil">
                {/^[0.]*$/.test(one.amount) ? "later" : `−${one.amount}, in it`}
              </td>
            </tr>
          ))}
          {quote.delivery ? (
            <tr>
              <th scope="row">{quote.delivery.name}</th>
              <td className="amount">{quote.delivery.total}</td>
            </tr>
          ) : null}
          {quote.taxes.map((tax) => (
            <tr key={`${tax.place} ${tax.name} ${tax.rate} ${tax.treatment}`}>
              <th scope="row" className="quiet">
                {tax.name === "No tax"
                  ? `${tax.name}, ${tax.place}: ${treatmentWords(tax.treatment)}`
                  : `${tax.name} ${percent(tax.rate)} ${tax.place}, in it`}
              </th>
              <td className="amount pencil">{tax.amount}</td>
            </tr>
          ))}
          <tr>
            <th scope="row">
              <strong>{found.state === "paid" ? "Paid" : "To be paid"}</strong>
            </th>
            <td className="amount">
              <strong>
                {found.currency} {found.amount}
              </strong>
            </td>
          </tr>
        </tbody>
      </Table>
    </Section>
  );
}

/** Who bought, where the parcel goes, and what was found about a business's number. */
export function Buyer({ of }: { of: Schemas["OrderView"]["buyer"] }) {
  if (!of.parcel_to.length && !of.address.length && !of.company && !of.tax_number && !of.seen_in) return null;
  return (
    <Section aria-labelledby="buyer">
      <h2 id="buyer">{of.parcel_to.length ? `To be sent: ${of.delivery ?? ""}` : "The buyer"}</h2>
      {of.parcel_to.length ? (
        <Lines lines={of.parcel_to} />
      ) : of.address.length ? (
        <Lines lines={of.address} />
      ) : null}
      {of.parcel_to.length && of.address.length && of.address.join() !== of.parcel_to.join() ? (
        <>
          <p className="quiet">The buyer’s own address:</p>
          <Lines lines={of.address} />
        </>
      ) : null}
      {of.telephone ? (
        <p>
          Whoever brings it may call <a href={`tel:${of.telephone.replace(/[^+\d]/g, "")}`}>{of.telephone}</a>
          .
        </p>
      ) : null}
      {of.company || of.tax_number ? (
        <p>
          Bought for {of.company ?? "a business"}
          {of.tax_number ? (
            <>
              , tax number <span className="mono">{of.tax_number}</span>
              {of.number_answer ? `, ${NUMBERS[of.number_answer]}` : ""}
              {of.number_name ? ` as “${of.number_name}”` : ""}
              {of.number_reference ? (
                <>
                  , reference <span className="mono">{of.number_reference}</span>
                </>
              ) : null}
            </>
          ) : null}
          .
        </p>
      ) : null}
      {of.seen_in ? (
        <p className="quiet">
          The connection seemed to come from {of.seen_in}
          {of.confirmed ? `; the buyer has said that they live in ${of.country_name}` : ""}.
        </p>
      ) : null}
    </Section>
  );
}

const Lines = ({ lines }: { lines: string[] }) => (
  <address style={{ fontStyle: "normal" }}>
    {lines.map((line) => (
      <div key={line}>{line}</div>
    ))}
  </address>
);
