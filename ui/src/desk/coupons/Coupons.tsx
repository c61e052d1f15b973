// Coupons: what each takes off, of what, for whom and how long; and what that costs.
import { useInfiniteQuery } from "@tanstack/react-query";
import { useState, useDeferredValue } from "react";
import { useParams } from "react-router";
import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Sheet } from "../../kit/Sheet";
import { PartList } from "../editing/PartList";
import { parts } from "../queries";
import { useGo } from "../room/places";
import { useRole } from "../room/role";
import { WithRooms, ProductRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { Chosen } from "./CouponEditor";
import { NewCoupon } from "./NewCoupon";

export function Coupons() {
  const { site: code = "", id } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const asked = useInfiniteQuery(parts(code, "coupon", sought));
  const { mayConfigure } = useRole(code);
  const go = useGo();
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const lines = asked.data.pages.flatMap((page) => page.parts);
  const chosen = id ?? (sought ? undefined : lines[0]?.id);
  const add = () => go(`/s/${code}/coupons/new`);
  return (
    <WithRooms>
      <ProductRooms />
      <Sheet tabIndex={-1} aria-label="Coupons">
        <PartList
          code={code}
          kind="coupon"
          one="coupon"
          label="All coupons"
          asked={asked}
          search={search}
          onSearch={setSearch}
          to={`/s/${code}/coupons`}
          chosen={chosen}
          action={mayConfigure ? <Button onPress={add}>Add a coupon</Button> : null}
        />
        {id === "new" ? (
          <NewCoupon code={code} />
        ) : chosen ? (
          <Chosen key={chosen} code={code} id={chosen} />
        ) : (
          <Empty
            title="No coupons yet"
            action={
              mayConfigure ? (
                <Button look="main" onPress={add}>
                  Add a coupon
                </Button>
              ) : undefined
            }
          >
            A coupon takes something off: typed by the buyer, brought along by a link, or by itself.
          </Empty>
        )}
      </Sheet>
    </WithRooms>
  );
}
