// The rooms of the desk: one list, read by the work order, the line of rooms above a sheet, the jump box, the titles of
// pages, and the test that walks through all of them. What stands in a room is in ../rooms.tsx, under the same path.

/** The stages of the job in the order in which it is done; each is a room as well. */
export const STAGES = [
  ["products", "Products"],
  ["payments", "Payments"],
  ["tax-and-delivery", "Tax and delivery"],
  ["checkouts", "Checkouts"],
  ["on-the-site", "On the site"],
  ["routes", "Routes"],
  ["rehearsals", "Rehearsals"],
  ["orders", "Orders"],
] as const;

export type StageName = (typeof STAGES)[number][0];

export interface Described {
  path: string;
  /** What follows the path in its address, as the router writes it. */
  more?: string;
  /** The stage that it belongs to, and its name in the line of that stage's rooms. */
  stage?: StageName;
  short?: string;
  name: string;
  /** What stands there, in a few words. */
  words: string;
  /** What else people call it, or what they look for there; not shown. */
  called: string;
  /** Other names under which the jump box offers it. */
  also?: readonly (readonly [name: string, words: string])[];
}

const OF_ORDER = "stage of the work order";

export const ROOMS = [
  {
    path: "products",
    more: "/:id?",
    stage: "products",
    short: "Products",
    name: "Products",
    words: OF_ORDER,
    called:
      "price, stock, inventory, variant, plan, trial, free, instalments, picture, image, bundle, quantity, sku, event, service, pre-order",
  },
  {
    path: "payments",
    more: "/:adapter?",
    stage: "payments",
    short: "Gateways",
    name: "Payments",
    words: OF_ORDER,
    called: "card, credit card, wallet, direct debit, gateway, bank, api key, test card, payout, connect",
    also: [["Keys of a gateway", "under Payments: connect for test and for live"]],
  },
  {
    path: "tax-and-delivery",
    stage: "tax-and-delivery",
    short: "Tax",
    name: "Tax and delivery",
    words: OF_ORDER,
    called:
      "VAT, GST, sales tax, tax number, one-stop shop, OSS, reverse charge, registration, tax rate, exempt",
  },
  {
    path: "checkouts",
    more: "/:id?",
    stage: "checkouts",
    short: "Checkouts",
    name: "Checkouts",
    words: OF_ORDER,
    called: "form, button text, pay button, heading, buy button",
    also: [["Wording of a checkout", "under Checkouts: heading, text, pay button"]],
  },
  {
    path: "on-the-site",
    stage: "on-the-site",
    name: "On the site",
    words: OF_ORDER,
    called: "embed, html, script, snippet, buy button, link, install, test link, popup",
    also: [["Snippets and links", "under On the site: what is pasted into pages"]],
  },
  { path: "routes", stage: "routes", name: "Routes", words: OF_ORDER, called: "funnel, offer, after paying" },
  { path: "rehearsals", stage: "rehearsals", name: "Rehearsals", words: OF_ORDER, called: "test, try" },
  {
    path: "orders",
    more: "/:mode?/:code?",
    stage: "orders",
    short: "Orders",
    name: "Orders",
    words: OF_ORDER,
    called:
      "refund, money back, give back, dispute, chargeback, sale, customer, email, buyer, test order, clear, reconcile",
  },
  {
    path: "coupons",
    more: "/:id?",
    stage: "products",
    short: "Coupons",
    name: "Coupons",
    words: "under Products: discounts, codes, what they cost",
    called: "discount, voucher, promotion, code, percent off, first order",
  },
  {
    path: "currencies",
    stage: "products",
    short: "Currencies",
    name: "Currencies",
    words: "under Products: rates, rounding, what is sold in",
    called: "currency, exchange rate, euro, dollar, pound, rounding",
  },
  {
    path: "products-csv",
    stage: "products",
    short: "CSV",
    name: "Products as CSV",
    words: "under Products: export, import with a dry run",
    called: "import, export, spreadsheet, upload, download products",
  },
  {
    path: "site-file",
    stage: "products",
    short: "Site file",
    name: "The site file",
    words: "under Products: the whole site as one text, diffed and applied",
    called: "backup, yaml, export, configuration, copy a site",
  },
  {
    path: "mails",
    more: "/:kind?",
    stage: "checkouts",
    short: "Mails",
    name: "Mails",
    words: "under Checkouts: what buyers get by mail, in your words, as it arrives",
    called:
      "email, e-mail, receipt mail, confirmation mail, reminder, subject, sender, reply, template, logo, notification, note of a sale",
  },
  {
    path: "ways-to-pay",
    stage: "payments",
    short: "At the counter",
    name: "Ways to pay",
    words: "under Payments: which gateways buyers are offered, their order and wording",
    called: "bank transfer, on invoice, on collection, fraud, card testing, hold, order of payment methods",
    also: [["Limits against fraud", "under Payments: what is held for a person, or refused"]],
  },
  {
    path: "payment-costs",
    stage: "payments",
    short: "What it costs",
    name: "What payments cost",
    words: "under Payments: card fees, gateways compared for a basket and a year",
    called: "fees, cheaper, cost of a gateway",
  },
  {
    path: "renewals",
    stage: "payments",
    short: "Renewals",
    name: "Renewals",
    words: "retries, grace, mails ahead, what customers may do",
    called: "retry, failed payment, grace, reminder, cancel, pause, email before a renewal, dunning",
  },
  {
    path: "delivery",
    stage: "tax-and-delivery",
    short: "Delivery",
    name: "Delivery",
    words: "zones, ways of sending, what a parcel costs, shipping",
    called: "shipping, postage, parcel, courier, pick up, collect, free shipping, weight",
  },
  {
    path: "papers",
    stage: "tax-and-delivery",
    short: "Papers",
    name: "Invoices and receipts",
    words: "papers: who they name, how they are numbered, a sample",
    called: "invoice, receipt, credit note, bill, number, seller address, legal, footer",
  },
  {
    path: "tax-report",
    stage: "tax-and-delivery",
    short: "Report",
    name: "Tax report",
    words: "what is owed to which tax office, by place and rate, as CSV",
    called: "VAT return, declaration, accountant, quarter, OSS return",
  },
  {
    path: "subscriptions",
    more: "/:mode?/:code?",
    stage: "orders",
    short: "Subscriptions",
    name: "Subscriptions",
    words: "renewals, the calendar of the test book, plans, pauses",
    called: "recurring, membership, cancel, pause, change plan, trial, card expired",
  },
  {
    path: "outlook",
    more: "/:mode?",
    stage: "orders",
    short: "Outlook",
    name: "Outlook",
    words: "recurring income, what is to come, churn",
    called: "revenue, forecast, MRR, churn, income",
  },
  {
    path: "transfers",
    more: "/:mode?",
    stage: "orders",
    short: "Bank transfers",
    name: "Bank transfers",
    words: "under Orders: statements, camt.053, MT940, what could not be matched",
    called: "IBAN, statement, wire, bank transfer, match",
  },
  {
    path: "asked-back",
    more: "/:mode?",
    stage: "orders",
    short: "Asked back",
    name: "Asked back",
    words: "under Orders: what buyers want to give back, or withdraw from",
    called: "return, withdrawal, revocation, cancel an order, money back, right of withdrawal, RMA",
  },
  {
    path: "aside",
    stage: "orders",
    short: "Set aside",
    name: "Set aside",
    words: "under Orders: messages, mails and renewals that could not be handled",
    called: "error, failed, retry, stuck, bounced email",
  },
  {
    path: "move-over",
    more: "/:mode",
    stage: "orders",
    name: "Moving members over",
    words: "under Subscriptions: members from elsewhere, by CSV",
    called: "import subscribers, migrate, move, members",
  },
  {
    path: "stand-in-buyers",
    more: "/:id?",
    name: "Stand-in buyers",
    words: "invented buyers for tapes and tests",
    called: "test customer, test buyer, persona, country of the buyer",
  },
  {
    path: "release",
    name: "Review and release",
    words: "what changed since the last release",
    called: "publish, go live, launch, deploy, real money",
    also: [["Open for real buyers", "under Review and release"]],
  },
  {
    path: "release/history",
    name: "Releases and edits",
    words: "history: who, when, going back",
    called: "undo, restore, rollback, go back, version, archive, archived, who changed",
  },
  {
    path: "release/back",
    more: "/:number",
    name: "Going back",
    words: "under Releases and edits",
    called: "",
  },
  {
    path: "site",
    name: "The site itself",
    words: "name of the business, website, time zone, colour",
    called:
      "delete, archive, colour, color, button colour, brand, domain, country, time zone, business name, settings",
  },
  {
    path: "on-sale",
    name: "Stop selling",
    words: "emergency: a product, a checkout or the whole site; close, open again",
    called: "close, pause, stop, holiday, sold out, emergency, maintenance",
  },
  {
    path: "people",
    name: "People",
    words: "members, roles, invitations",
    called: "team, user, colleague, permission, access, invite",
  },
] as const satisfies readonly Described[];

export type RoomPath = (typeof ROOMS)[number]["path"];

const ALL: readonly Described[] = ROOMS;

/** Rooms that need more than their path to be gone to. */
export const byItself = (room: Described) => !room.more || room.more.endsWith("?");

/** The line of rooms above a stage's sheet. */
export const lineOf = (stage: StageName) =>
  ALL.flatMap((room) => (room.stage === stage && room.short ? [[room.path, room.short] as const] : []));

/** The stage that a room belongs to. */
export const stageOf = (path: string) => ALL.find((room) => room.path === path)?.stage;

/** What a room is called, for the title of its page. */
export const nameOf = (path: string) =>
  STAGES.find(([stage]) => stage === path)?.[1] ?? ALL.find((room) => room.path === path)?.name ?? "Skurrow";
