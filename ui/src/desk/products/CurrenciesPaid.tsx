// At Currencies: with what each can be paid, and whether buyers choose theirs at the counter.
import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { Tick, Ticks } from "../../kit/fields/Tick";
import { Notice } from "../../kit/Notice";
import { Section } from "../../kit/Sheet";
import { withValue } from "../editing/bodies";
import { SaveTrouble } from "../editing/SaveLine";
import { useDraft } from "../editing/useDraft";
import { currenciesPaid, part } from "../queries";
import { To } from "../room/places";
import { useRole } from "../room/role";

type Paid = Schemas["CurrencyView"];

/** How buyers come to pay in a currency; nothing to say where only one is sold in. */
export function AtTheCounter({ code, sold }: { code: string; sold: readonly string[] }) {
  const paid = useQuery(currenciesPaid(code)).data ?? [];
  const site = useQuery(part(code, "site", "-")).data;
  if (sold.length < 2) return null;
  return (
    <Section aria-labelledby="at-the-counter">
      <h2 id="at-the-counter">At the counter</h2>
      <p>
        Buyers pay in the money of the country where they seem to be, if it stands here and a gateway takes
        it; else in the first. A link may say which: <code>?currency={sold[1]}</code>.
      </p>
      {site ? <Chooser key={site.part.id} code={code} view={site} /> : null}
      <NotPaid code={code} paid={paid.filter((one) => sold.includes(one.code))} />
      <ul>
        {paid
          .filter((one) => sold.includes(one.code))
          .map((one) => (
            <li key={one.code}>
              <strong>{one.code}</strong>: {withWhat(one)}
            </li>
          ))}
      </ul>
    </Section>
  );
}

function Chooser({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure } = useRole(code);
  const body = draft.body as { currency_chooser?: boolean };
  return (
    <>
      <SaveTrouble {...draft} />
      <Ticks disabled={!mayConfigure}>
        <Tick
          on={body.currency_chooser !== false}
          onChange={(shown) => draft.edit(withValue(body, "currency_chooser", shown ? undefined : false))}
        >
          Buyers may choose another currency
        </Tick>
      </Ticks>
    </>
  );
}

const MODES = [
  ["live", "for live"],
  ["test", "for test"],
] as const;

/** Which currencies no connected gateway takes. */
function NotPaid({ code, paid }: { code: string; paid: Paid[] }) {
  return MODES.map(([mode, words]) => {
    const left = paid.filter((one) => one[mode]?.length === 0).map((one) => one.code);
    if (!left.length) return null;
    return (
      <Notice key={mode} kind="attention">
        No gateway that is connected {words} takes {left.join(" and ")}, so no buyer can choose{" "}
        {left.length === 1 ? "it" : "them"}. <To to={`/s/${code}/payments`}>Connect one that does</To>, or
        take {left.length === 1 ? "it" : "them"} out.
      </Notice>
    );
  });
}

function withWhat({ test, live }: Paid): string {
  if (!test && !live) return "no gateway is connected yet.";
  const told = (ways: string[]) => ways.join(", ") || "nothing";
  if (!live || !test) return `${told(live ?? test ?? [])}${live ? "" : ", in test"}.`;
  return told(live) === told(test) ? `${told(live)}.` : `${told(live)}; in test ${told(test)}.`;
}
