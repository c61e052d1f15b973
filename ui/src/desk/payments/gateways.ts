// Which gateways are people, and how each is connected, in words.
import type { Mode } from "../queries";

export const BY_PERSON = ["transfer", "invoice", "collection"];

export function how(adapter: string, mode: Mode): string {
  if (adapter === "transfer")
    return mode === "test"
      ? "Test buyers are shown this account, and told not to pay."
      : "Real buyers are told to pay into this account.";
  if (BY_PERSON.includes(adapter)) return mode === "test" ? "For test buyers." : "For real buyers.";
  return mode === "test"
    ? "Or paste what its page shows for test mode."
    : "Or paste its live keys. Real buyers can pay once this is connected, a release is made, and the site is opened for them.";
}
