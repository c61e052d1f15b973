// Amounts as people write them: decimal comma or point, thousands set apart, the currency's sign. Nothing is reckoned:
// what is read is the same digits as our own form has them, "1234.50".

/** What was meant: an amount, one of two, or nothing that can be told. */
export type Read = { amount: string } | { either: readonly [string, string] } | null;

const SPACES = "\\s\u00a0\u2009\u202f";
const NO_DECIMALS = /^[-–—]{0,2}$/;
// The languages whose signs for money people type: in English some have a letter before them that nobody types.
const LANGUAGES = ["en", "de", "fr", "nl", "sv", "da", "pl", "cs", "hu", "ro", "bg", "ja", "pt-BR"];

const signs = new Map<string, readonly string[]>();

function signsOf(currency: string): readonly string[] {
  let found = signs.get(currency);
  if (!found) {
    const shown = LANGUAGES.flatMap((language) =>
      (["symbol", "narrowSymbol", "code"] as const).map(
        (currencyDisplay) =>
          new Intl.NumberFormat(language, { style: "currency", currency, currencyDisplay })
            .formatToParts(0)
            .find((part) => part.type === "currency")?.value ?? currency,
      ),
    );
    found = [...new Set(shown.map((sign) => sign.toLowerCase()))].sort((a, b) => b.length - a.length);
    signs.set(currency, found);
  }
  return found;
}

function withoutSign(text: string, currency: string): string {
  for (const sign of signsOf(currency)) {
    if (text.toLowerCase().startsWith(sign)) return text.slice(sign.length).trim();
    if (text.toLowerCase().endsWith(sign)) return text.slice(0, text.length - sign.length).trim();
  }
  return text;
}

/** How many decimals a currency has (ISO 4217, as the browser knows it). */
function digitsOf(currency: string): number {
  const found = new Intl.NumberFormat("en", { style: "currency", currency }).resolvedOptions();
  return found.maximumFractionDigits ?? 2;
}

/** A whole number, its thousands set apart by one and the same mark or not at all. */
function wholeOf(text: string): string | null {
  const mark = /\D/.exec(text)?.[0];
  if (mark === undefined) return text === "" ? "0" : text.replace(/^0+(?=\d)/, "");
  const groups = text.split(mark);
  const fits = groups.every((group, i) => (i ? /^\d{3}$/ : /^[1-9]\d{0,2}$/).test(group));
  return fits ? groups.join("") : null;
}

/** What an amount in a currency means, as it was typed. */
export function readAmount(typed: string, currency: string): Read {
  if (!/^[A-Z]{3}$/.test(currency)) return null; // not known yet
  const text = withoutSign(typed.trim(), currency)
    .replace(new RegExp(`[${SPACES}]`, "g"), " ")
    .replace(/’/g, "'");
  if (!/^[\d.,' ]*[\d.,][-–—]{0,2}$/.test(text) || !/\d/.test(text)) return null;
  const digits = digitsOf(currency);
  const at = Math.max(text.lastIndexOf("."), text.lastIndexOf(","));
  const mark = text.charAt(at);
  if (at < 0 || text.indexOf(mark) < at || / |'/.test(text.slice(at))) {
    const whole = wholeOf(text);
    return whole === null ? null : { amount: whole };
  }
  const [before, after] = [text.slice(0, at), text.slice(at + 1)];
  const whole = wholeOf(before);
  if (whole === null) return null;
  if (NO_DECIMALS.test(after)) return { amount: whole };
  if (!/^\d+$/.test(after)) return null;
  if (after.length === 3 && /^[1-9]\d{0,2}$/.test(before)) {
    const thousands = `${before}${after}`;
    if (digits === 0) return { amount: thousands };
    return { either: [thousands, `${before}.${after.slice(0, digits)}`] };
  }
  return after.length > digits ? null : { amount: `${whole}.${after}` };
}

/** A rate or a percentage as it was typed: with a decimal comma, or a sign behind it. */
export function readDecimal(typed: string): Read {
  const text = typed.trim().replace(/\s*%$/, "");
  const found = /^(\d*)(?:[.,](\d*))?$/.exec(text);
  if (!found || !/\d/.test(text)) return null;
  return { amount: found[2] ? `${found[1] || "0"}.${found[2]}` : found[1] || "0" };
}
