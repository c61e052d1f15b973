// Days and times as the desk writes them: by the zone of the site that is open, not by the reader's own.
const own = Intl.DateTimeFormat().resolvedOptions().timeZone;
let zone = own;

/** From here on times are those of a site's zone. */
export function inZone(of: string): void {
  zone = of;
}

const written = (at: string, options: Intl.DateTimeFormatOptions) =>
  new Date(at).toLocaleString("en-GB", { ...options, timeZone: zone });

/** A day and a time. */
export const when = (at: string) => written(at, { dateStyle: "medium", timeStyle: "short" });

/** The same in full, with the zone where the reader's own is another. */
export function whenInFull(at: string): string {
  const told = written(at, { dateStyle: "long", timeStyle: "short" });
  return zone === own ? told : `${told}, ${placeOf(zone)} time`;
}

/** The time of day. */
export const clock = (at: string) => written(at, { timeStyle: "medium" });

const placeOf = (of: string) => (of.split("/").pop() ?? of).replaceAll("_", " ");

/** A day ("2027-03-31"). */
export const day = (on: string) =>
  new Date(`${on}T00:00:00Z`).toLocaleDateString("en-GB", { dateStyle: "medium", timeZone: "UTC" });
