/** A rate in words: "0.21" as "21 %". The point is moved; nothing is computed. */
export function percent(rate: string): string {
  const [whole = "0", decimals = ""] = rate.split(".");
  const padded = decimals.padEnd(2, "0");
  const before = `${whole}${padded.slice(0, 2)}`.replace(/^0+(?=\d)/, "");
  const after = padded.slice(2).replace(/0+$/, "");
  return `${before}${after ? `.${after}` : ""} %`;
}
