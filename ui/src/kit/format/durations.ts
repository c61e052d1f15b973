// Durations of ISO 8601 as one chooses them; anything beyond is typed as it is written in the site file.

const UNITS = { D: "day", W: "week", M: "month", Y: "year" } as const;

/** "P1M" as it is read after "every": "month", "3 months"; a text of another form stays as it is. */
export function everyWords(text: string): string {
  const found = /^P(\d+)([DWMY])$/.exec(text);
  if (!found) return text;
  const unit = UNITS[found[2] as keyof typeof UNITS];
  return found[1] === "1" ? unit : `${found[1] ?? ""} ${unit}s`;
}

/** "P1M" as a length: "1 month". */
export function lengthWords(text: string): string {
  const words = everyWords(text);
  return /^(day|week|month|year)$/.test(words) ? `1 ${words}` : words;
}

export const RHYTHMS = ["P1W", "P2W", "P4W", "P1M", "P2M", "P3M", "P6M", "P1Y", "P2Y"];
export const LENGTHS = ["P7D", "P10D", "P14D", "P30D", "P1M", "P2M", "P3M", "P6M", "P1Y"];
