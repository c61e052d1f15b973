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

export type StageName = (typeof STAGES)[number][0];
