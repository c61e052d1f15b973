// What kinds of part are called.
const KINDS: Record<string, string> = {
  site: "Site",
  currencies: "Currencies",
  tax: "Tax",
  delivery: "Delivery",
  product: "Product",
  coupon: "Coupon",
  checkout: "Checkout",
  papers: "Papers",
  mails: "Mails",
  payments: "Ways to pay",
  subscriptions: "Renewals",
};

export const kindWords = (kind: string) =>
  kind === "stand_in_buyer" ? "Stand-in buyer" : (KINDS[kind] ?? kind);
