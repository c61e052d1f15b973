// The jump box: anything by its name.
import { useQuery } from "@tanstack/react-query";
import { useDeferredValue, useState, type Ref } from "react";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Finder, fitting, type Choosable } from "../../kit/fields/Finder";
import { focusWhenThere } from "./arrival";
import { useGo } from "../room/places";
import { jump } from "../queries";
import { STAGES } from "../room/stages";

const Room = styled.div`
  width: 190px;
  input {
    min-height: 32px;
    padding: 4px 10px;
    background: var(--sheet);
  }
  position: relative;
  kbd {
    position: absolute;
    right: 9px;
    top: 10px;
    font: 12px/1 var(--mono);
    color: var(--pencil);
    pointer-events: none;
  }
  &:focus-within kbd {
    display: none;
  }
  @media (max-width: 760px) {
    width: 100%;
    order: 9;
  }
`;

const KINDS: Record<Schemas["FoundView"]["kind"], string> = {
  product: "product",
  price: "price",
  coupon: "coupon",
  checkout: "checkout",
  stand_in_buyer: "stand-in buyer",
  order: "order",
};

/** Stands where an address would. */
const HELP = "/?";

/** Screens, and the words under which somebody may look for them. */
const SCREENS: readonly (readonly [path: string, name: string, words: string])[] = [
  ...STAGES.map(([path, title]) => [path, title, "stage of the work order"] as const),
  ["coupons", "Coupons", "under Products: discounts, codes, what they cost"],
  ["currencies", "Currencies", "under Products: rates, rounding, what is sold in"],
  ["products-csv", "Products as CSV", "under Products: export, import with a dry run"],
  ["site-file", "The site file", "under Products: the whole site as one text, diffed and applied"],
  ["delivery", "Delivery", "zones, ways of sending, what a parcel costs, shipping"],
  ["subscriptions", "Subscriptions", "renewals, the calendar of the test book, plans, pauses"],
  ["outlook", "Outlook", "recurring income, what is to come, churn"],
  ["renewals", "Renewals", "retries, grace, mails ahead, what customers may do"],
  ["papers", "Invoices and receipts", "papers: who they name, how they are numbered, a sample"],
  ["tax-report", "Tax report", "what is owed to which tax office, by place and rate, as CSV"],
  ["stand-in-buyers", "Stand-in buyers", "invented buyers for tapes and tests"],
  ["release", "Review and release", "what changed since the last release"],
  ["release/history", "Releases and edits", "history: who, when, going back"],
  ["site", "The site itself", "name of the business, website, time zone, colour"],
  ["on-sale", "Stop selling", "emergency: a product, a checkout or the whole site; close, open again"],
  ["aside", "Set aside", "under Orders: messages, mails and renewals that could not be handled"],
  ["people", "People", "members, roles, invitations"],
  ["/account", "Your account", "password, two-step sign-in, sessions, light and dark"],
  ["/new-site", "Add a site", "another website that is given sales"],
  ["payments", "Keys of a gateway", "under Payments: connect for test and for live"],
  [
    "payment-costs",
    "What payments cost",
    "under Payments: card fees, gateways compared for a basket and a year",
  ],
  [
    "ways-to-pay",
    "Ways to pay",
    "under Payments: which gateways buyers are offered, their order and wording",
  ],
  ["ways-to-pay", "Limits against fraud", "under Payments: what is held for a person, or refused"],
  ["transfers", "Bank transfers", "under Orders: statements, camt.053, MT940, what could not be matched"],
  ["checkouts", "Wording of a checkout", "under Checkouts: heading, text, pay button"],
  ["on-the-site", "Snippets and links", "under On the site: what is pasted into pages"],
  ["release", "Open for real buyers", "under Review and release"],
  [HELP, "Help: shortcuts", "what each key does"],
];

function pathOf(code: string, found: Schemas["FoundView"]): string {
  switch (found.kind) {
    case "product":
      return `/s/${code}/products/${found.id}`;
    case "price":
      return `/s/${code}/products/${found.product ?? ""}`;
    case "coupon":
      return `/s/${code}/coupons/${found.id}`;
    case "checkout":
      return `/s/${code}/checkouts/${found.id}`;
    case "stand_in_buyer":
      return `/s/${code}/stand-in-buyers/${found.id}`;
    case "order":
      return `/s/${code}/orders/${found.mode ?? "test"}/${found.id}`;
  }
}

interface Props {
  code: string;
  inputRef: Ref<HTMLInputElement>;
  onHelp: () => void;
}

export function Jump({ code, inputRef, onHelp }: Props) {
  const [typed, setTyped] = useState("");
  const sought = useDeferredValue(typed.trim());
  const asked = useQuery(jump(code, sought));
  const go = useGo();
  const low = sought.toLowerCase();
  const screens = SCREENS.filter(
    ([, name, words]) =>
      low === "" || name.toLowerCase().includes(low) || (low.length > 2 && words.toLowerCase().includes(low)),
  ).map(([path, name, words]): Choosable => ({
    key: path.startsWith("/") ? `${path} ${name}` : `/s/${code}/${path} ${name}`,
    name,
    words,
    kind: "screen",
  }));
  const found = (sought ? (asked.data ?? []) : []).map((one): Choosable => ({
    key: `${pathOf(code, one)} ${one.kind} ${one.id}`,
    name: one.name,
    words: one.words,
    kind: KINDS[one.kind],
  }));
  return (
    <Room>
      <Finder
        label="Jump to anything"
        bare
        placeholder="Jump to anything"
        inputRef={inputRef}
        found={
          sought ? [...fitting(found, sought, asked.isPlaceholderData), ...screens] : screens.slice(0, 14)
        }
        typed={typed}
        onType={setTyped}
        onChoose={(key) => {
          setTyped("");
          const [path = "/"] = key.split(" ");
          if (path === HELP) {
            onHelp();
            return;
          }
          go(path);
          // The field has done its work: left, it lets go of the list and of the rest of the page.
          requestAnimationFrame(() => {
            if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
            focusWhenThere();
          });
        }}
        nothing={asked.isFetching ? "Looking …" : "Nothing is called that."}
      />
      <kbd aria-hidden="true">Alt J</kbd>
    </Room>
  );
}
