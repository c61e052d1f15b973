// The rooms of a stage that has several, as a line of links above its sheet.
import { styled } from "styled-components";
import { useLocation, useParams } from "react-router";

import { To } from "./places";
import { lineOf } from "./rooms";

const Line = styled.nav`
  display: flex;
  flex-wrap: wrap;
  gap: 0 22px;
  padding: 10px 26px 0;
  border-bottom: 1px solid var(--hairline);
  a {
    padding: 6px 0 8px;
    color: var(--pencil);
    text-decoration: none;
    border-bottom: 3px solid transparent;
  }
  a:hover {
    color: var(--ink);
  }
  a[aria-current] {
    color: var(--ink);
    font-weight: 600;
    border-bottom-color: var(--verdigris);
  }
  @media (max-width: 600px) {
    padding-inline: 16px;
  }
`;

/** A stage's sheet with its rooms above. */
export const WithRooms = styled.div`
  min-width: 0;
  display: flex;
  flex-direction: column;
  > main {
    flex: 1;
    border-radius: 0;
    border-top: 0;
  }
  > nav {
    background: var(--sheet);
    border: 1px solid var(--hairline);
    border-radius: var(--corner) var(--corner) 0 0;
  }
`;

export const ProductRooms = () => <Rooms of="Products" rooms={lineOf("products")} />;
export const PaymentRooms = () => <Rooms of="Payments" rooms={lineOf("payments")} />;
export const CheckoutRooms = () => <Rooms of="Checkouts" rooms={lineOf("checkouts")} />;
export const OrderRooms = () => <Rooms of="Orders" rooms={lineOf("orders")} />;
export const TaxRooms = () => <Rooms of="Tax and delivery" rooms={lineOf("tax-and-delivery")} />;

function Rooms({ of, rooms }: { of: string; rooms: readonly (readonly [string, string])[] }) {
  const { site: code = "" } = useParams();
  const here = useLocation().pathname.split("/")[3];
  return (
    <Line aria-label={`Rooms of ${of}`}>
      {rooms.map(([path, name]) => (
        <To key={path} to={`/s/${code}/${path}`} aria-current={here === path ? "page" : undefined}>
          {name}
        </To>
      ))}
    </Line>
  );
}
