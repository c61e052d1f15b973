// What stands in each room, fetched when it is first met, or ahead when there is nothing else to do.
import type { ComponentType } from "react";

import { fetched } from "./room/fetched";
import { ROOMS, type RoomPath } from "./room/rooms";

type Fetched = Promise<{ default: ComponentType }>;

const ELEMENTS: Record<RoomPath, () => Fetched> = {
  products: () => import("./products/Products").then((it) => ({ default: it.Products })),
  coupons: () => import("./coupons/Coupons").then((it) => ({ default: it.Coupons })),
  currencies: () => import("./products/Currencies").then((it) => ({ default: it.Currencies })),
  "products-csv": () => import("./products/ProductsCsv").then((it) => ({ default: it.ProductsCsv })),
  "site-file": () => import("./site/SiteFile").then((it) => ({ default: it.SiteFile })),
  payments: () => import("./payments/Payments").then((it) => ({ default: it.Payments })),
  "ways-to-pay": () => import("./payments/WaysToPay").then((it) => ({ default: it.WaysToPay })),
  "payment-costs": () => import("./payments/PaymentCosts").then((it) => ({ default: it.PaymentCosts })),
  transfers: () => import("./payments/Transfers").then((it) => ({ default: it.Transfers })),
  "tax-and-delivery": () => import("./tax/Tax").then((it) => ({ default: it.Tax })),
  "tax-report": () => import("./tax/TaxReport").then((it) => ({ default: it.TaxReport })),
  delivery: () => import("./delivery/Delivery").then((it) => ({ default: it.Delivery })),
  papers: () => import("./papers/Papers").then((it) => ({ default: it.Papers })),
  checkouts: () => import("./checkouts/Checkouts").then((it) => ({ default: it.Checkouts })),
  mails: () => import("./mails/Mails").then((it) => ({ default: it.Mails })),
  "on-the-site": () => import("./checkouts/OnTheSite").then((it) => ({ default: it.OnTheSite })),
  routes: () => import("./Later").then((it) => ({ default: it.Routes })),
  rehearsals: () => import("./Later").then((it) => ({ default: it.Rehearsals })),
  orders: () => import("./orders/Orders").then((it) => ({ default: it.Orders })),
  aside: () => import("./orders/SetAside").then((it) => ({ default: it.SetAside })),
  "asked-back": () => import("./orders/AskedBack").then((it) => ({ default: it.AskedBack })),
  subscriptions: () => import("./subscriptions/Subscriptions").then((it) => ({ default: it.Subscriptions })),
  outlook: () => import("./subscriptions/Outlook").then((it) => ({ default: it.Outlook })),
  "move-over": () => import("./subscriptions/MoveOver").then((it) => ({ default: it.MoveOver })),
  renewals: () => import("./subscriptions/Renewals").then((it) => ({ default: it.Renewals })),
  "stand-in-buyers": () => import("./site/StandInBuyers").then((it) => ({ default: it.StandInBuyers })),
  site: () => import("./site/SiteSheet").then((it) => ({ default: it.SiteSheet })),
  release: () => import("./release/Release").then((it) => ({ default: it.Release })),
  "release/back": () => import("./release/Release").then((it) => ({ default: it.Release })),
  "release/history": () => import("./release/History").then((it) => ({ default: it.History })),
  "on-sale": () => import("./release/OnSale").then((it) => ({ default: it.OnSale })),
  people: () => import("./people/People").then((it) => ({ default: it.People })),
};

const made = new Map<RoomPath, ComponentType>();

/** The element of a room. */
export function elementOf(path: RoomPath): ComponentType {
  const element = made.get(path) ?? fetched(ELEMENTS[path]);
  made.set(path, element);
  return element;
}

/** Begins to fetch the room of an address, before anything else is known about it. */
export function fetchRoomAt(pathname: string): void {
  const [, , , first = "", second = ""] = pathname.split("/");
  const room =
    ROOMS.find(({ path }) => path === `${first}/${second}`) ?? ROOMS.find(({ path }) => path === first);
  // Where it fails, it is tried again when the room is met.
  if (room) void ELEMENTS[room.path]().catch(() => undefined);
}

/** Fetches all rooms, one after the other, whenever the browser has nothing else to do. */
export function fetchAhead(): () => void {
  const left = Object.values(ELEMENTS);
  let stopped = false;
  const idle = (then: () => void) => {
    if ("requestIdleCallback" in window) window.requestIdleCallback(then);
    else setTimeout(then, 200);
  };
  const next = () => {
    const fetch = left.shift();
    if (!fetch || stopped) return;
    // A room that cannot be fetched now is fetched when it is met.
    void fetch()
      .catch(() => undefined)
      .then(() => idle(next));
  };
  idle(next);
  return () => {
    stopped = true;
  };
}
