/** A day and a time, as the desk writes them. */
export const when = (at: string) =>
  new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
