// What the server has written into the page, so that a buyer on a slow line waits for nothing else.
import type { Schemas } from "../api/client";

export type Counter = Schemas["CounterView"];
export type Quote = Schemas["QuoteView"];
export type Progress = Schemas["ProgressView"];

/** What an order waits for: until when it is to be paid, or when its money is expected. */
export interface Awaited {
  gateway: string;
  label: string;
  text: string;
  due_on: string | null;
  expected_on: string | null;
  may_give_up: boolean;
  transfer: {
    amount: string;
    currency: string;
    holder: string;
    iban: string;
    bic: string | null;
    reference: string;
    qr: string;
  } | null;
}

export interface ConfirmationBoot {
  page: "confirmation";
  mode: "test" | "live";
  site_name: string;
  site_url: string;
  colour: string;
  /** The shop's time zone, in which its instants are told. */
  time_zone: string;
  /** Whether a mail about it is on its way still. */
  mail_comes: boolean;
  code: string;
  state: "open" | "waiting" | "paid" | "cancelled";
  paid_at: string | null;
  paid_by: string;
  awaited: Awaited | null;
  /** What leads back from here to the checkout, by its code and address. It is not the visit. */
  back: string;
  checkout: string | null;
  again: string | null;
  /** Where what goes on is looked after; null where nothing does. */
  account: string | null;
  amount: string;
  quote: Quote;
  promises: { name: string; until: string }[];
  /** Whose it is, where the page is only looked at at the desk. */
  mine?: Schemas["PersonalView"];
}

interface OwnPage {
  mode: "test" | "live";
  site_name: string;
  site_url: string;
  colour: string;
}

/** The account page of a site, by its code. */
export interface AccountBoot extends OwnPage {
  page: "account";
  code: string;
  /** The shop's, in which its instants are told. */
  time_zone: string;
}

/** The page of a mailed link, with its token. */
export interface RenewalBoot extends OwnPage {
  page: "renewal";
  link: string;
}

export type Boot =
  | AccountBoot
  | RenewalBoot
  | { page: "checkout"; code: string | null; counter: Counter; back?: string | null }
  | ConfirmationBoot
  | { page: "unknown" }
  | { page: "tried" }
  | { page: "closed"; message: string; shop?: { name: string; url: string } | null }
  | { page: "away"; message: string };

export function readBoot(): Boot {
  const text = document.getElementById("boot")?.textContent ?? "";
  try {
    return JSON.parse(text) as Boot;
  } catch {
    return { page: "unknown" };
  }
}

/** Whether the page stands in a frame over the website. */
export const framed = window.parent !== window;

/** Tells the embed script of the page around something that holds no data; it checks where it comes from. */
export function tell(said: "ready" | "close") {
  if (framed) window.parent.postMessage({ skurrow: said }, "*");
}
