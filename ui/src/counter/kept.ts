// What the browser keeps for a buyer: the visit (so that tabs and reloads are one order), and what was typed.
// There is no cookie. Where the browser keeps nothing, the page itself remembers for as long as it is open.

const memory = new Map<string, string>();

function store(kind: "localStorage" | "sessionStorage"): Storage | undefined {
  try {
    return window[kind];
  } catch {
    return undefined;
  }
}

function get(kind: "localStorage" | "sessionStorage", name: string): string | undefined {
  try {
    return store(kind)?.getItem(name) ?? memory.get(name);
  } catch {
    return memory.get(name);
  }
}

function set(kind: "localStorage" | "sessionStorage", name: string, value: string) {
  memory.set(name, value);
  try {
    store(kind)?.setItem(name, value);
  } catch {
    // A full or forbidden store: the page's own memory has it.
  }
}

/** The address of the checkout that is open; null in a preview at the desk, of which nothing is kept. */
export type CheckoutCode = string | null;

export const keptVisit = (code: CheckoutCode) =>
  code === null ? undefined : get("localStorage", `visit ${code}`);

export function keepVisit(code: CheckoutCode, visit: string) {
  if (code !== null) set("localStorage", `visit ${code}`, visit);
}

/** The currency that this browser's buyer has chosen at a website, for all its checkouts. */
export const keptCurrency = (code: CheckoutCode, site: string) =>
  code === null ? undefined : get("localStorage", `currency ${site}`);

export function keepCurrency(code: CheckoutCode, site: string, currency: string) {
  if (code !== null) set("localStorage", `currency ${site}`, currency);
}

/** The basket of this browser at a checkout that takes several things: the one that the website hands over, else the
 * counter's own. None in a preview. */
export function basketOf(
  code: CheckoutCode,
  { several, site_url }: { several: boolean; site_url: string },
): string | undefined {
  if (!several || code === null) return undefined;
  const handed = new URLSearchParams(window.location.search).get("basket");
  return handed && /^[0-9a-f-]{32,36}$/i.test(handed) ? handed : keptBasket(site_url);
}

/** The basket of a website's checkouts, where the website itself keeps none. */
function keptBasket(site: string): string {
  const kept = get("localStorage", `basket ${site}`);
  if (kept) return kept;
  // As the website's own pages make it: `crypto.randomUUID` is not there without TLS.
  const made = [...crypto.getRandomValues(new Uint8Array(16))]
    .map((one) => one.toString(16).padStart(2, "0"))
    .join("");
  set("localStorage", `basket ${site}`, made);
  return made;
}

/** An address as far as it is typed, in the fields of its country's form. */
export interface Address {
  street?: string | undefined;
  district?: string | undefined;
  city?: string | undefined;
  region?: string | undefined;
  postal_code?: string | undefined;
  sorting_code?: string | undefined;
}

/** Where a parcel goes that does not go to the buyer. */
export interface ParcelTo extends Address {
  name: string;
  country: string;
}

export interface Typed {
  email: string;
  name: string;
  country: string;
  address: Address;
  /** Undefined: parcels go to the buyer. */
  deliver_to?: ParcelTo | undefined;
  business: boolean;
  company?: string | undefined;
  tax_number?: string | undefined;
  /** For whoever brings a parcel. */
  telephone?: string | undefined;
}

/** What was chosen about the thing itself; what is not there is what is chosen at first. */
export interface Chosen {
  price?: string | undefined;
  variant?: string | undefined;
  quantity?: number | undefined;
  chosen?: string | undefined;
  /** The currency of that amount: in another one it says nothing. */
  chosen_in?: string | undefined;
  delivery?: string | undefined;
  coupons: string[];
}

export function keptChosen(code: CheckoutCode): Chosen {
  const nothing: Chosen = { coupons: [] };
  if (code === null) return nothing;
  try {
    return {
      ...nothing,
      ...(JSON.parse(get("sessionStorage", `chosen ${code}`) ?? "{}") as Partial<Chosen>),
    };
  } catch {
    return nothing;
  }
}

export function keepChosen(code: CheckoutCode, chosen: Chosen) {
  if (code !== null) set("sessionStorage", `chosen ${code}`, JSON.stringify(chosen));
}

export function keptTyped(code: CheckoutCode): Partial<Typed> {
  if (code === null) return {};
  try {
    return JSON.parse(get("sessionStorage", `typed ${code}`) ?? "{}") as Partial<Typed>;
  } catch {
    return {};
  }
}

export function keepTyped(code: CheckoutCode, typed: Typed) {
  if (code !== null) set("sessionStorage", `typed ${code}`, JSON.stringify(typed));
}

/** What opened an order's page in this window: it came after the sign # of a link, which is not kept in an address. */
export function keyOfPage(): string | undefined {
  const { hash, pathname, search } = window.location;
  if (hash.length > 1) {
    set("sessionStorage", `key ${pathname}`, decodeURIComponent(hash.slice(1)));
    window.history.replaceState(null, "", pathname + search);
  }
  return get("sessionStorage", `key ${pathname}`);
}

/** The visit in which this browser has set a password for the account page: it shows that both are the same person's. */
export const keptProof = () => get("localStorage", "password set in");

export const keepProof = (visit: string) => set("localStorage", "password set in", visit);
