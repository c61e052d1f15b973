// Where a product is sold: its checkouts with their links, and a new one in one press.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { memo } from "react";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Copy } from "../../kit/Copy";
import { Notice } from "../../kit/Notice";
import { Section } from "../../kit/Sheet";
import { addCheckout } from "../editing/addCheckout";
import { idFor } from "../editing/bodies";
import { historyOf } from "../editing/editHistory";
import { placements, refresh } from "../queries";
import { To } from "../room/places";

const List = styled.ul`
  margin: 0;
  padding: 0;
  list-style: none;
  li {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    justify-content: space-between;
    gap: 6px 16px;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  .links {
    display: flex;
    gap: 8px;
  }
`;

/** The checkouts that sell a product. A new one sells all prices of it that are offered; buyers choose between them. */
export const SoldAt = memo(function SoldAt({
  code,
  name,
  offered,
  mayConfigure,
}: {
  code: string;
  name: string;
  /** The ids of its prices that are offered, as they are stored, in one text: it is drawn anew only when they change. */
  offered: string;
  mayConfigure: boolean;
}) {
  const asked = useQuery(placements(code));
  const queries = useQueryClient();
  const all = asked.data ?? [];
  const prices = offered ? offered.split(" ") : [];
  const here = all.filter((one) => one.everyday || one.prices.some((price) => prices.includes(price)));
  const selling = useMutation({
    mutationFn: () =>
      addCheckout(
        code,
        idFor(
          name,
          all.map((one) => one.checkout),
        ),
        { name, prices: prices.slice(0, 20) },
      ),
    onSuccess: async (made) => {
      historyOf(code).note(made, name, null);
      await refresh(queries, code);
    },
  });
  return (
    <Section aria-labelledby="sold-at">
      <h2 id="sold-at">Where it is sold</h2>
      {here.length ? (
        <List>
          {here.map((one) => (
            <Sold key={one.checkout} code={code} placement={one} name={name} price={prices[0] ?? ""} />
          ))}
        </List>
      ) : asked.data ? (
        <p className="quiet">No checkout sells it yet.</p>
      ) : null}
      {selling.error ? <Notice kind="error">{selling.error.message}</Notice> : null}
      {mayConfigure && asked.data ? (
        <div>
          <Button
            look={here.some((one) => !one.everyday) ? "plain" : undefined}
            isPending={selling.isPending}
            isDisabled={!prices.length}
            onPress={() => selling.mutate()}
          >
            {here.some((one) => !one.everyday) ? "Sell it at one more checkout" : "Sell it"}
          </Button>
        </div>
      ) : null}
    </Section>
  );
});

const inHtml = (text: string) =>
  text.replace(/[&<>"]/g, (one) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[one] ?? one);

function Sold({
  code,
  placement,
  name,
  price,
}: {
  code: string;
  placement: Schemas["PlacementView"];
  name: string;
  price: string;
}) {
  // At the everyday checkout a link puts this very thing into the basket.
  const link = placement.everyday ? `${placement.link}?add=${price}` : placement.link;
  const snippet = placement.everyday
    ? placement.snippet
        .replace(placement.link, link)
        .replace(/>[^<]*<\/a>/, () => `>Add ${inHtml(name)} to your basket</a>`)
    : placement.snippet;
  return (
    <li>
      <span>
        <To to={`/s/${code}/checkouts/${placement.checkout}`}>{placement.name}</To>
        {placement.everyday ? <span className="quiet"> with everything else</span> : null}
      </span>
      <span className="links">
        <Copy text={snippet}>
          Copy snippet<span className="hidden"> of {placement.name}</span>
        </Copy>
        <Copy text={link}>
          Copy link<span className="hidden"> of {placement.name}</span>
        </Copy>
      </span>
    </li>
  );
}
