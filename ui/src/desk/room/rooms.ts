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

interface Described {
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
const byItself = (room: Described) => !room.more || room.more.endsWith("?");

/** Stands where an address would. */
export const HELP = "/?";

/** Rooms outside of any site, and what is no room. */
const OUTSIDE: readonly (readonly [path: string, name: string, words: string, called: string])[] = [
  [
    "/account",
    "Your account",
    "password, two-step sign-in, sessions, light and dark",
    "dark mode, theme, 2fa, log in, security, sign out everywhere",
  ],
  ["/new-site", "Add a site", "another website that is given sales", "new site, create a site, another shop"],
  [HELP, "Help: shortcuts", "what each key does", "keyboard, help, manual"],
];

/** What somebody may look for that is not there yet, and what there is instead: at which room. */
const NOT_YET: readonly (readonly [path: string, name: string, words: string, called: string])[] = [
  [
    "routes",
    "Thank-you page",
    "buyers see Skurrow’s own confirmation page so far; pages of your own come with Routes",
    "confirmation page, redirect, success page, return address, after paying",
  ],
  [
    "orders",
    "Downloads",
    "files are not handed over yet: send them when an order is paid",
    "download, file, pdf, licence key, members’ area, delivery of a file",
  ],
  [
    "renewals",
    "Wording of mails",
    "mails come in English, Dutch and German; when they are sent is said here, their words are fixed so far",
    "email, mail, template, newsletter, notification, follow-up",
  ],
  [
    "checkouts",
    "Terms to agree to",
    "there is no box to tick yet: name your terms in a checkout’s text",
    "terms, conditions, consent, privacy, gdpr, checkbox, withdrawal",
  ],
  [
    "checkouts",
    "Fields of your own",
    "a checkout asks what its country and its goods need; own fields are not built yet",
    "custom field, phone number, telephone, note",
  ],
  [
    "routes",
    "Offers after paying, and extras",
    "they come with Routes; so far a bundle is sold as a product",
    "upsell, cross-sell, order bump, add-on, extra",
  ],
  [
    "site",
    "Languages of the counter",
    "buyers read English so far; mails follow their language",
    "language, translation, Dutch, German, French",
  ],
  [
    "orders",
    "Customers",
    "their orders and subscriptions are found by name or email",
    "customer list, contacts, CRM, buyers",
  ],
  [
    "orders",
    "Calls to other systems",
    "orders and reports go out as CSV; calls are not built yet",
    "webhook, API, integration, bookkeeping, mailing list, connect another system",
  ],
  [
    "outlook",
    "Figures",
    "what comes in and who leaves; conversion is not counted yet",
    "statistics, analytics, conversion, report, dashboard",
  ],
];

interface Screen {
  path: string;
  name: string;
  words: string;
  kind: "screen" | "not built yet";
}

interface Sought extends Screen {
  called: string;
}

const FINDABLE: readonly Sought[] = [
  ...ALL.filter(byItself).map(({ path, name, words, called }) => ({
    path,
    name,
    words,
    called,
    kind: "screen" as const,
  })),
  ...ALL.flatMap((room) =>
    (room.also ?? []).map(([name, words]) => ({
      path: room.path,
      name,
      words,
      called: "",
      kind: "screen" as const,
    })),
  ),
  ...OUTSIDE.map(([path, name, words, called]) => ({ path, name, words, called, kind: "screen" as const })),
  ...NOT_YET.map(([path, name, words, called]) => ({
    path,
    name,
    words,
    called,
    kind: "not built yet" as const,
  })),
];

/** What the jump box offers for what is typed: by name first, then by what people call it, then by what stands there. */
export function screensFor(typed: string): readonly Screen[] {
  const sought = typed.trim().toLowerCase();
  if (!sought) return FINDABLE.filter(({ kind }) => kind === "screen").slice(0, 14);
  const begins = (text: string) =>
    new RegExp(`(^|[\\s,(-])${sought.replace(/[.*+?^${}()|[\]\\]/g, "\\$&")}`, "i").test(text);
  const rank = ({ name, words, called }: Sought) => {
    if (name.toLowerCase().startsWith(sought)) return 0;
    if (begins(name)) return 1;
    if (sought.length > 1 && begins(called)) return 2;
    if (name.toLowerCase().includes(sought)) return 3;
    return sought.length > 2 && `${words} ${called}`.toLowerCase().includes(sought) ? 4 : 9;
  };
  return FINDABLE.map((one) => ({ one, at: rank(one) }))
    .filter(({ at }) => at < 9)
    .sort((a, b) => a.at - b.at)
    .map(({ one }) => one);
}

/** The line of rooms above a stage's sheet. */
export const lineOf = (stage: StageName) =>
  ALL.flatMap((room) => (room.stage === stage && room.short ? [[room.path, room.short] as const] : []));

/** The stage that a room belongs to. */
export const stageOf = (path: string) => ALL.find((room) => room.path === path)?.stage;

/** What a room is called, for the title of its page. */
export const nameOf = (path: string) =>
  STAGES.find(([stage]) => stage === path)?.[1] ?? ALL.find((room) => room.path === path)?.name ?? "Skurrow";
