// The parts of a site as the site file writes them, as far as the desk edits them.
export type ProductKind = "goods" | "digital" | "service" | "event";

export interface PriceBody {
  id: string;
  kind: "once";
  amount: Record<string, string>;
  quantity?: { min: number | string; max: number | string };
  [other: string]: unknown;
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
  prices: PriceBody[];
  [other: string]: unknown;
}

export interface CheckoutBody {
  id: string;
  name: string;
  prices: string[];
  heading?: string;
  text?: string;
  button?: string;
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
