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
export type Address = string | null;

export const keptVisit = (code: Address) =>
  code === null ? undefined : get("localStorage", `visit ${code}`);

export function keepVisit(code: Address, visit: string) {
  if (code !== null) set("localStorage", `visit ${code}`, visit);
}

export interface Typed {
  email: string;
  name: string;
  country: string;
}

/** What was chosen about the thing itself; what is not there is what is chosen at first. */
export interface Chosen {
  price?: string | undefined;
  variant?: string | undefined;
  quantity?: number | undefined;
  chosen?: string | undefined;
  coupons: string[];
}

export function keptChosen(code: Address): Chosen {
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

export function keepChosen(code: Address, chosen: Chosen) {
  if (code !== null) set("sessionStorage", `chosen ${code}`, JSON.stringify(chosen));
}

export function keptTyped(code: Address): Partial<Typed> {
  if (code === null) return {};
  try {
    return JSON.parse(get("sessionStorage", `typed ${code}`) ?? "{}") as Partial<Typed>;
  } catch {
    return {};
  }
}

export function keepTyped(code: Address, typed: Typed) {
  if (code !== null) set("sessionStorage", `typed ${code}`, JSON.stringify(typed));
}
