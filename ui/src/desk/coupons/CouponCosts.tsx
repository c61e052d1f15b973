// What a coupon costs, and links that bring it.
import { useQuery } from "@tanstack/react-query";
import { styled } from "styled-components";

import { Copy } from "../../kit/Copy";
import { grouped } from "../../kit/format/money";
import { Section, Table } from "../../kit/Sheet";
import { placements } from "../queries";
import { useRoll } from "../tape/tapeState";

const Address = styled.div`
  font-family: var(--mono);
  font-size: 13.5px;
  color: var(--pencil);
  overflow-wrap: anywhere;
`;

/** What it costs on each price, one buyer for a year. */
export function Costs({ base }: { base: string }) {
  const costs = useRoll().tapes?.costs ?? [];
  if (!costs.length) return null;
  return (
    <Section aria-labelledby="costs">
      <h2 id="costs">What it costs</h2>
      <Table style={{ maxWidth: 620 }}>
        <thead>
          <tr>
            <th scope="col">One buyer of</th>
            <th scope="col" className="amount">
              first charge
            </th>
            <th scope="col" className="amount" style={{ paddingLeft: 24 }}>
              in a year
            </th>
          </tr>
        </thead>
        <tbody>
          {costs.map((one) => (
            <tr key={one.price}>
              <th scope="row">
                {one.name}
                {one.why_not ? <span className="quiet"> {one.why_not}</span> : null}
              </th>
              <td className="amount">
                {base} {grouped(one.first)}
              </td>
              <td className="amount" style={{ paddingLeft: 24 }}>
                {base} {grouped(one.year)}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="quiet">
        A discount adds up by charges, not by sign-ups: this is one buyer who stays a year.
      </p>
    </Section>
  );
}

/** Links that bring the coupon along. */
export function Links({ code, coupon }: { code: string; coupon: string }) {
  const asked = useQuery(placements(code));
  const open = asked.data ?? [];
  if (!open.length) return null;
  return (
    <Section aria-labelledby="links">
      <h2 id="links">Links that bring it along</h2>
      <Table>
        <tbody>
          {open.slice(0, 8).map((one) => {
            const link = `${one.link}?coupon=${encodeURIComponent(coupon)}`;
            return (
              <tr key={one.checkout}>
                <th scope="row">
                  {one.name}
                  <Address>{link.replace(/^https?:\/\//, "")}</Address>
                </th>
                <td style={{ textAlign: "right", paddingRight: 0 }}>
                  <Copy text={link}>
                    Copy link<span className="hidden"> to {one.name}</span>
                  </Copy>
                </td>
              </tr>
            );
          })}
        </tbody>
      </Table>
    </Section>
  );
}
