// Which addresses have a tape of what was sold beside them, rather than of what is being edited.
import type { Mode } from "../queries";

/** Of which order or subscription it is; without a code, none is chosen yet. */
export interface Sold {
  kind: "orders" | "subscriptions";
  mode: Mode;
  code: string | undefined;
}

/** What of an address is a tape of what was sold; undefined where it is one of what is being edited. */
export function soldAt(pathname: string): Sold | undefined {
  const [, , , kind, mode = "test", code] = pathname.split("/");
  if (kind !== "orders" && kind !== "subscriptions") return undefined;
  return { kind, mode: mode === "live" ? "live" : "test", code };
}
