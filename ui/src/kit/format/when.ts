/** A day and a time, as the desk writes them. */
export const when = (at: string) =>
  new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });

/** A day ("2027-03-31"), as the desk writes it. */
export const day = (on: string) =>
  new Date(`${on}T00:00:00Z`).toLocaleDateString("en-GB", { dateStyle: "medium", timeZone: "UTC" });
