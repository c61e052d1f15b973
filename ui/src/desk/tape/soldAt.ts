// Which addresses have a tape of what was sold beside them, rather than of what is being edited.
import { useLayoutEffect, useSyncExternalStore } from "react";

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

// Where the address names none, the room shows the first of its list, and says so here.
let shown: string | undefined;
const listeners = new Set<() => void>();

function show(code: string | undefined) {
  shown = code;
  for (const tell of listeners) tell();
}

/** Puts what a room of the books shows on the tape, for as long as it shows it. */
export function useSoldOnTape(code: string | undefined) {
  useLayoutEffect(() => {
    show(code);
    return () => show(undefined);
  }, [code]);
}

/** The code of what is shown. */
export const useShownCode = () =>
  useSyncExternalStore(
    (tell) => {
      listeners.add(tell);
      return () => listeners.delete(tell);
    },
    () => shown,
  );
