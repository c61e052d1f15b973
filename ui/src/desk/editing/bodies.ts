// The parts of a site as the site file writes them, as far as the desk edits them.
export type ProductKind = "goods" | "digital" | "service" | "event";

export type PriceKind = "once" | "recurring" | "instalments" | "free";

export type Amounts = Record<string, string>;

export interface StartBody {
  free?: string;
  amount?: Amounts;
  for?: string;
  times?: number | string;
  card?: "at_order" | "later";
}

export interface EndsBody {
  when?: "paid_time" | "at_once";
  unused?: "kept" | "given_back";
}

export interface PriceBody {
  id: string;
  kind: PriceKind;
  amount?: Amounts;
  chosen?: { minimum: Amounts; maximum?: Amounts; suggested?: Amounts };
  every?: string;
  payments?: number | string;
  again?: string;
  start?: StartBody;
  ends?: EndsBody;
  label?: string;
  text?: string;
  quantity?: { min: number | string; max: number | string };
  default?: boolean;
  offered?: boolean;
  for?: string[];
  [other: string]: unknown;
}

export interface PictureBody {
  name: string;
  text: string;
}

export interface VariantBody {
  id: string;
  name: string;
  amount?: Amounts;
  stock?: number | string;
  picture?: PictureBody;
  [other: string]: unknown;
}

export interface ContentBody {
  price: string;
  quantity?: number | string;
  variant?: string;
}

export interface ProductBody {
  id: string;
  name: string;
  owner_name?: string;
  text?: string;
  kind: ProductKind;
  counts_as?: string;
  weight_g?: number;
  held_in?: string;
  picture?: PictureBody;
  stock?: number | string;
  available_from?: string;
  refund_days?: number | string;
  statement?: string;
  categories?: string[];
  charged?: "at_order" | "at_release";
  variants?: VariantBody[];
  contains?: ContentBody[];
  prices: PriceBody[];
  ladder?: string[];
  [other: string]: unknown;
}

/** The product with other prices; its ladder keeps the steps that are still there, and is none with fewer than two. */
export function withPrices(body: ProductBody, prices: PriceBody[]): ProductBody {
  const steps = prices.filter(({ kind, chosen }) => kind === "recurring" && !chosen).map(({ id }) => id);
  const ladder = body.ladder?.filter((step) => steps.includes(step));
  const next = { ...body, prices };
  if (ladder && ladder.length >= 2) return { ...next, ladder };
  return without(next, "ladder");
}

export interface CouponBody {
  id: string;
  name?: string;
  percent?: string;
  amount?: Amounts;
  only?: string[];
  minimum?: Amounts;
  from?: string;
  until?: string;
  limit?: number | string;
  per_customer?: number | string;
  renewals?: number | string;
  combine?: boolean;
  automatic?: boolean;
  customer?: "new";
  [other: string]: unknown;
}

export interface RegistrationBody {
  place?: string;
  scheme?: "EU-OSS";
  number?: string;
  from?: string;
  until?: string;
  [other: string]: unknown;
}

export interface OwnRateBody {
  place: string;
  postal_prefix?: string;
  counts_as?: string;
  name: string;
  rate: string;
  [other: string]: unknown;
}

export interface TaxBody {
  included?: boolean;
  exempt?: { sentence: string };
  when_untaxed?: "deduct" | "keep";
  rounding?: "line" | "rate";
  business_proof?: "confirmed" | "well_formed";
  registrations?: RegistrationBody[];
  rates?: OwnRateBody[];
  [other: string]: unknown;
}

export interface PapersBody {
  name?: string;
  street?: string;
  postal_code?: string;
  city?: string;
  region?: string;
  email?: string;
  text?: string;
  consumers?: "receipt" | "invoice";
  invoices?: string;
  receipts?: string;
  credit_notes?: string;
  [other: string]: unknown;
}

export interface MethodBody {
  id: string;
  name: string;
  amount?: Amounts;
  each?: Amounts;
  by_weight?: { up_to_g: number | string; amount: Amounts }[];
  by_value?: { up_to?: Amounts; amount: Amounts }[];
  free_from?: Amounts;
  pick_up?: boolean;
  telephone?: "asked" | "needed";
  [other: string]: unknown;
}

export interface ZoneBody {
  name: string;
  places: string[];
  methods?: MethodBody[];
  [other: string]: unknown;
}

export interface DeliveryBody {
  zones?: ZoneBody[];
}

export interface WayBody {
  gateway: string;
  label?: string;
  text?: string;
  countries?: string[];
  currencies?: string[];
  minimum?: Amounts;
  maximum?: Amounts;
  days?: number | string;
  hold_days?: number | string;
  [other: string]: unknown;
}

export interface GuardBody {
  above?: Amounts;
  tries?: number | string;
  by?: "card" | "address" | "buyer";
  hours?: number | string;
  another_country?: boolean;
  then?: "hold" | "refuse";
  [other: string]: unknown;
}

export interface PaymentsBody {
  ways?: WayBody[];
  guards?: GuardBody[];
  [other: string]: unknown;
}

export interface SubscriptionsBody {
  retries?: number[];
  grace?: number;
  before_trial_ends?: number | null;
  before_yearly?: number | null;
  before_card_expires?: number | null;
  unused?: "seconds" | "days";
  customers_may?: string[];
  [other: string]: unknown;
}

export interface CurrencyBody {
  code: string;
  rate?: string;
  round_to?: string;
  less?: string;
  [other: string]: unknown;
}

export interface CheckoutBody {
  id: string;
  name: string;
  prices?: string[];
  choose?: "one" | "several";
  everyday?: boolean;
  discount?: { percent?: string; amount?: Amounts };
  ways?: string[];
  heading?: string;
  text?: string;
  button?: string;
  coupons?: "offered" | "by_link" | "none";
  coupon_words?: string;
  locked?: string;
  [other: string]: unknown;
}

export const KINDS: readonly (readonly [ProductKind, string])[] = [
  ["goods", "Goods"],
  ["digital", "Digital"],
  ["service", "A service"],
  ["event", "An event"],
];

/** The body without one of its values. */
export function without<Body extends Record<string, unknown>>(body: Body, name: string): Body {
  return Object.fromEntries(Object.entries(body).filter(([key]) => key !== name)) as Body;
}

/** The body without a value that is empty: what is not said is not written. */
export function withValue<Body extends Record<string, unknown>>(
  body: Body,
  name: keyof Body & string,
  value: unknown,
): Body {
  const next = { ...body, [name]: value };
  return value === "" || value === undefined ? without(next, name) : next;
}

/** A number as it is typed: digits become a number, anything else stays text, for the server to say what is wrong. */
export function numberOr(text: string): number | string | undefined {
  const trimmed = text.trim();
  if (trimmed === "") return undefined;
  return /^\d+$/.test(trimmed) ? Number(trimmed) : trimmed;
}

/** Amounts with one currency's set, or taken out where it is empty. */
export function withAmount(amounts: Amounts | undefined, currency: string, text: string): Amounts {
  const trimmed = text.trim();
  const others = Object.entries(amounts ?? {}).filter(([code]) => code !== currency);
  return trimmed === "" ? Object.fromEntries(others) : { ...amounts, [currency]: trimmed };
}

/** The price as another kind, with what that kind needs and without what it has not. */
export function asPriceKind(price: PriceBody, kind: PriceKind | "chosen", base: string): PriceBody {
  const { amount, chosen, every, payments } = price;
  const rest = ["amount", "chosen", "every", "payments", "again", "start", "ends"].reduce<PriceBody>(
    without,
    price,
  );
  const least = amount?.[base] ?? chosen?.minimum[base] ?? "10.00";
  const amounts = amount ?? { [base]: least };
  switch (kind) {
    case "free":
      return { ...rest, kind };
    case "chosen":
      return { ...rest, kind: "once", chosen: chosen ?? { minimum: { [base]: least } } };
    case "once":
      return { ...rest, kind, amount: amounts };
    case "recurring":
      return { ...rest, kind, every: every ?? "P1M", amount: amounts };
    case "instalments":
      return { ...rest, kind, every: every ?? "P1M", payments: payments ?? 3, amount: amounts };
  }
}

/** A name turned into an id: small letters, digits and hyphens, with a number where it is taken. */
export function idFor(name: string, taken: readonly string[]): string {
  const plain = name
    .normalize("NFD")
    .replace(/[\u0300-\u036f]/g, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 50);
  const base = plain || "new";
  if (!taken.includes(base)) return base;
  let n = 2;
  while (taken.includes(`${base}-${n}`)) n += 1;
  return `${base}-${n}`;
}
