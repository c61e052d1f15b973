/** How a sale is treated for tax, in the words of the trade. */
const TREATMENTS: Record<string, string> = {
  standard: "standard rate",
  reduced: "reduced rate",
  zero: "zero rate",
  exempt: "exempt",
  reverse_charge: "reverse charge",
  intra_eu: "intra-EU",
  export: "export",
  outside: "outside",
  not_registered: "not registered there",
};

export const treatmentWords = (treatment: string): string =>
  TREATMENTS[treatment] ?? treatment.replaceAll("_", " ");
