import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";

import type { Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Empty } from "../kit/Empty";
import { Field } from "../kit/Field";
import { Sheet, Side, SideLink } from "../kit/Sheet";
import { NewProduct } from "./NewProduct";
import { ProductEditor } from "./ProductEditor";
import { Waiting } from "./Waiting";
import type { ProductBody } from "./bodies";
import { products } from "./queries";

/** The stage Products: the list, and one product beside it. */
export function Products() {
  const { site: code = "", id } = useParams();
  const asked = useQuery(products(code));
  const [search, setSearch] = useState("");
  const navigate = useNavigate();
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const { parts, prices } = asked.data;
  const found = parts.filter((part) => nameOf(part).toLowerCase().includes(search.trim().toLowerCase()));
  const chosen = parts.find((part) => part.id === id) ?? (id === undefined ? parts[0] : undefined);
  const add = () => void navigate(`/s/${code}/products/new`);
  return (
    <Sheet tabIndex={-1} aria-label="Products">
      <Side aria-label="All products">
        <div className="top">
          <Field
            label="Find a product"
            bare
            placeholder="Find a product"
            value={search}
            onChange={setSearch}
          />
          <Button onPress={add}>Add a product</Button>
        </div>
        <ul>
          {found.map((part) => (
            <li key={part.id}>
              <SideLink
                to={`/s/${code}/products/${part.id}`}
                className={part === chosen && id === undefined ? "active" : ""}
              >
                <strong>{nameOf(part)}</strong>
                <span>{wordsFor(part, prices)}</span>
              </SideLink>
            </li>
          ))}
        </ul>
        {parts.length > 0 && found.length === 0 ? (
          <p className="quiet" style={{ padding: "4px 16px" }}>
            No product is called that.
          </p>
        ) : null}
      </Side>
      {id === "new" ? (
        <NewProduct code={code} parts={asked.data} />
      ) : chosen ? (
        <ProductEditor key={chosen.id} code={code} part={chosen} prices={prices} />
      ) : (
        <Empty
          title={parts.length ? "No such product" : "Nothing is sold yet"}
          action={
            <Button look="main" onPress={add}>
              Add a product
            </Button>
          }
        >
          {parts.length
            ? "It may have been renamed. Choose one from the list."
            : "A product is whatever the business sells: a thing, a file, a class. It has a name for buyers and a price."}
        </Empty>
      )}
    </Sheet>
  );
}

function nameOf(part: Schemas["Part"]): string {
  const body = part.body as unknown as ProductBody;
  return body.owner_name ?? body.name;
}

function wordsFor(part: Schemas["Part"], prices: Schemas["PriceAmounts"][]): string {
  const first = prices.find((price) => price.product === part.id)?.amounts[0];
  return first ? `${first.currency} ${first.amount} once` : "no price";
}
