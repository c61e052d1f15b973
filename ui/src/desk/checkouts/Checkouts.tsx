import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useParams } from "react-router";

import { Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Finder, fitting } from "../../kit/fields/Finder";
import { Empty } from "../../kit/Empty";
import { Notice } from "../../kit/Notice";
import { Sheet } from "../../kit/Sheet";
import { addCheckout } from "../editing/addCheckout";
import { CheckoutEditor } from "./CheckoutEditor";
import { PartList } from "../editing/PartList";
import { Waiting } from "../room/Waiting";
import { idFor } from "../editing/bodies";
import { historyOf } from "../editing/editHistory";
import { ToButton, useGo } from "../room/places";
import { part, parts, prices, refresh, unsoldPrices } from "../queries";
import { useRole } from "../room/role";
import { CheckoutRooms, WithRooms } from "../room/StageRooms";

/** The stage Checkouts: the list, and one checkout beside it. */
export function Checkouts() {
  const { site: code = "", id } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const asked = useInfiniteQuery(parts(code, "checkout", sought));
  const sellable = useQuery(prices(code, ""));
  const [choosing, setChoosing] = useState(false);
  const { mayConfigure } = useRole(code);
  const queries = useQueryClient();
  const go = useGo();
  const lines = asked.data?.pages.flatMap((page) => page.parts) ?? [];
  const adding = useMutation({
    mutationFn: ({ name, price }: Sold) =>
      addCheckout(
        code,
        idFor(
          name,
          lines.map((line) => line.id),
        ),
        { name, prices: [price] },
      ),
    onSuccess: async (made) => {
      setChoosing(false);
      historyOf(code).note(made, (made.body as { name: string }).name, null);
      await refresh(queries, code);
      go(`/s/${code}/checkouts/${made.id}`);
    },
  });
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const chosen = id ?? (sought ? undefined : lines[0]?.id);
  const adder = (look?: "main") =>
    mayConfigure ? (
      <Button
        look={look}
        onPress={() => {
          const [only, another] = sellable.data ?? [];
          if (only && !another) adding.mutate(only);
          else setChoosing(true);
        }}
        isDisabled={!sellable.data?.length}
        isPending={adding.isPending}
      >
        Add a checkout
      </Button>
    ) : null;
  return (
    <WithRooms>
      <CheckoutRooms />
      <Sheet tabIndex={-1} aria-label="Checkouts">
        <PartList
          code={code}
          kind="checkout"
          one="checkout"
          label="All checkouts"
          asked={asked}
          search={search}
          onSearch={setSearch}
          to={`/s/${code}/checkouts`}
          chosen={chosen}
          action={
            <>
              {choosing ? (
                <WhatItSells code={code} onChoose={adding.mutate} onLeave={() => setChoosing(false)} />
              ) : (
                adder()
              )}
              {adding.error ? <Notice kind="error">{adding.error.message}</Notice> : null}
            </>
          }
        />
        {chosen ? (
          <Chosen key={chosen} code={code} id={chosen} />
        ) : (
          <Empty
            title="No checkout yet"
            action={
              sellable.data?.length === 0 ? (
                <ToButton to={`/s/${code}/products`}>Add a product first</ToButton>
              ) : (
                adder("main")
              )
            }
          >
            A checkout is the form in which a buyer pays for a price you choose.
          </Empty>
        )}
      </Sheet>
    </WithRooms>
  );
}

interface Sold {
  name: string;
  price: string;
}

interface Choosing {
  code: string;
  onChoose: (price: Sold) => void;
  onLeave: () => void;
}

/** What a new checkout sells is said by who adds it; prices that no checkout sells yet come first. */
function WhatItSells({ code, onChoose, onLeave }: Choosing) {
  const [typed, setTyped] = useState("");
  const search = useDeferredValue(typed.trim());
  const asked = useQuery(prices(code, search));
  const unsold = useQuery(unsoldPrices(code, search));
  const fresh = unsold.data ?? [];
  const all = [
    ...fresh.map((one) => ({ one, kind: "in no checkout yet" })),
    ...(asked.data ?? [])
      .filter(({ price }) => !fresh.some((one) => one.price === price))
      .map((one) => ({ one, kind: "" })),
  ];
  const found = all.map(({ one, kind }) => ({ key: one.price, name: one.words, kind }));
  return (
    <>
      <Finder
        label="What the new checkout sells"
        atOnce
        placeholder="Part of a product’s name"
        found={fitting(found, typed, search !== typed.trim() || asked.isFetching || unsold.isFetching)}
        typed={typed}
        onType={setTyped}
        onChoose={(price) => {
          const chosen = all.find(({ one }) => one.price === price)?.one;
          if (chosen) onChoose(chosen);
        }}
        nothing="No price is called that."
      />
      <Button look="plain" onPress={onLeave}>
        Add none
      </Button>
    </>
  );
}

function Chosen({ code, id }: { code: string; id: string }) {
  const asked = useQuery(part(code, "checkout", id));
  if (asked.error instanceof Refused && asked.error.problem.status === 404)
    return <Empty title="No such checkout">It may have been archived. Choose one from the list.</Empty>;
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return <CheckoutEditor code={code} view={asked.data} />;
}
