/** A share of one as the digits of its percentage: "0.08875" as "8.875". The point is moved; nothing is computed. */
export function percentOf(share: string): string {
  return /^\d*(\.\d*)?$/.test(share) && share ? percent(share).slice(0, -2) : share;
}

/** The same the other way round: "8.875" as "0.08875". What is no number stays as it is, and is told to be none. */
export function shareOf(typed: string): string {
  const text = typed.trim();
  if (!/^\d+(\.\d*)?$/.test(text)) return text;
  const [whole = "", decimals = ""] = text.split(".");
  const padded = whole.padStart(3, "0");
  const digits = `${padded.slice(-2)}${decimals}`.replace(/0+$/, "");
  const before = padded.slice(0, -2).replace(/^0+(?=\d)/, "");
  return digits ? `${before}.${digits}` : before;
}

/** A rate in words: "0.21" as "21 %". The point is moved; nothing is computed. */
export function percent(rate: string): string {
  const [whole = "0", decimals = ""] = rate.split(".");
  const padded = decimals.padEnd(2, "0");
  const before = `${whole}${padded.slice(0, 2)}`.replace(/^0+(?=\d)/, "");
  const after = padded.slice(2).replace(/0+$/, "");
  return `${before}${after ? `.${after}` : ""} %`;
}
