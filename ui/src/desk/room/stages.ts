// The stages of the job in the order in which it is done.
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

/** Further rooms of the stage Products. */
export const PRODUCT_ROOMS = [
  ["coupons", "Coupons"],
  ["currencies", "Currencies"],
  ["products-csv", "CSV"],
  ["site-file", "Site file"],
] as const;

/** The rooms of the stage Tax and delivery. */
export const TAX_ROOMS = [
  ["tax-and-delivery", "Tax"],
  ["delivery", "Delivery"],
  ["papers", "Papers"],
  ["tax-report", "Report"],
] as const;

/** The rooms of the stage Payments. */
export const PAYMENT_ROOMS = [
  ["payments", "Gateways"],
  ["ways-to-pay", "At the counter"],
  ["payment-costs", "What it costs"],
  ["renewals", "Renewals"],
] as const;

/** The rooms of the stage Orders. */
export const ORDER_ROOMS = [
  ["orders", "Orders"],
  ["subscriptions", "Subscriptions"],
  ["outlook", "Outlook"],
  ["transfers", "Bank transfers"],
  ["aside", "Set aside"],
] as const;

/** The rooms of the stages that have several. */
export const ROOMS_OF: Record<string, readonly string[]> = {
  products: ["products", ...PRODUCT_ROOMS.map(([path]) => path)],
  payments: PAYMENT_ROOMS.map(([path]) => path),
  orders: ORDER_ROOMS.map(([path]) => path),
  "tax-and-delivery": TAX_ROOMS.map(([path]) => path),
};
