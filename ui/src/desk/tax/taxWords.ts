export const RATE_LABELS = {
  postal_prefix: "Postal codes",
  counts_as: "What it counts as",
  name: "Name",
  rate: "Percent",
};

export const RATE_HINTS = {
  postal_prefix: "all",
  counts_as: "standard",
  name: "Sales tax",
  rate: "8.875",
};
