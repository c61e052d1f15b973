// What the jump box offers for what is typed: rooms by what people call them, and what is not built yet.
import { byItself, ROOMS, type Described } from "./rooms";

const ALL: readonly Described[] = ROOMS;

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
