import { data, api } from "../api/client";
import type { AccountBoot } from "../counter/boot";
import { type Mine, useAt } from "./accountParts";
import type { Sub } from "./standing";
import { TypeCard } from "./TypeCard";

/** Another card, typed into the gateway's own fields. */
export function NewCard({
  boot,
  mine,
  sub,
  onDone,
}: {
  boot: AccountBoot;
  mine: Mine;
  sub: Sub;
  onDone: (words: string) => void;
}) {
  const at = useAt(boot);
  const path = { params: { ...at.params, path: { code: boot.code, subscription: sub.code } } };
  return (
    <TypeCard
      ways={mine.pay}
      button={sub.state === "failing" ? "Pay with this card, and keep it" : "Keep this card"}
      send={(way, token) =>
        data(
          api.POST("/counter/api/account/{code}/subscriptions/{subscription}/card", {
            ...path,
            body: { way, token },
          }),
        )
      }
      approved={(way, key) =>
        data(
          api.POST("/counter/api/account/{code}/subscriptions/{subscription}/card-approved", {
            ...path,
            body: { way, key },
          }),
        )
      }
      onDone={() => onDone("The new card is kept.")}
    />
  );
}
