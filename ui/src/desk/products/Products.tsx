import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useParams } from "react-router";

import { Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Sheet } from "../../kit/Sheet";
import { NewProduct } from "./NewProduct";
import { PartList } from "../editing/PartList";
import { ProductEditor } from "./ProductEditor";
import { ProductRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { useGo } from "../room/places";
import { part, parts } from "../queries";
import { useRole } from "../room/role";

/** The stage Products: the list, and one product beside it. */
export function Products() {
  const { site: code = "", id } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const asked = useInfiniteQuery(parts(code, "product", sought));
  const { mayConfigure } = useRole(code);
  const go = useGo();
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const lines = asked.data.pages.flatMap((page) => page.parts);
  const chosen = id ?? (sought ? undefined : lines[0]?.id);
  const add = () => go(`/s/${code}/products/new`);
  return (
    <WithRooms>
      <ProductRooms />
      <Sheet tabIndex={-1} aria-label="Products">
        <PartList
          code={code}
          kind="product"
          one="product"
          label="All products"
          asked={asked}
          search={search}
          onSearch={setSearch}
          to={`/s/${code}/products`}
          chosen={chosen}
          action={mayConfigure ? <Button onPress={add}>Add a product</Button> : null}
        />
        {id === "new" ? (
          <NewProduct code={code} />
        ) : chosen ? (
          <Chosen key={chosen} code={code} id={chosen} />
        ) : (
          <Empty
            title="Nothing is sold yet"
            action={
              mayConfigure ? (
                <Button look="main" onPress={add}>
                  Add a product
                </Button>
              ) : undefined
            }
          >
            A product is whatever the business sells: a thing, a file, a class. It has a name for buyers and a
            price.
          </Empty>
        )}
      </Sheet>
    </WithRooms>
  );
}

function Chosen({ code, id }: { code: string; id: string }) {
  const asked = useQuery(part(code, "product", id));
  if (asked.error instanceof Refused && asked.error.problem.status === 404)
    return <Empty title="No such product">It may have been archived. Choose one from the list.</Empty>;
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return <ProductEditor code={code} view={asked.data} />;
}
