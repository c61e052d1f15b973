// Amounts are shown as the server wrote them, with their currency; only thousands are set apart. Nothing is reckoned.

/** "EUR 1,234.50" from an exact text such as "1234.50", as CLDR groups digits in English. */
export function money(currency: string, amount: string): string {
  return `${currency} ${grouped(amount)}`;
}

/** The amount alone: "1,234.50". */
export function grouped(amount: string): string {
  const [whole = "", decimals] = amount.split(".");
  const set = whole.replace(/\B(?=(\d{3})+$)/g, ",").replace(/^-,?/, "−");
  return decimals === undefined ? set : `${set}.${decimals}`;
}
