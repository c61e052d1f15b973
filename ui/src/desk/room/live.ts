// The live view: what happens at a site arrives by itself; a lost connection is said, and caught up with.
import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useState } from "react";

import { refresh } from "../queries";

export type Told =
  | { kind: "connected" | "missed" | "people" }
  | { kind: "order"; mode: "test" | "live"; what: string; code: string }
  | { kind: "draft"; part: string; id: string; change: number; by: string | null }
  | { kind: "release"; number: number };

export type LiveState = "connecting" | "connected" | "lost";

export interface Sale {
  code: string;
  what: string;
  at: number;
}

/** The test sale about which something was told last. */
export const LastSale = createContext<Sale | undefined>(undefined);
export const useLastSale = () => useContext(LastSale);

const UNSEEN = 30_000;

const editors = new Map<string, string>();

/** Who made a change of the draft, as far as it was told while this page is open. */
export const whoMade = (code: string, change: number) => editors.get(`${code} ${change}`);

/** Follows a site, and has everything that shows what happened ask anew. */
export function useLive(code: string): { state: LiveState; sale: Sale | undefined } {
  const queries = useQueryClient();
  const [state, setState] = useState<LiveState>("connecting");
  const [sale, setSale] = useState<Sale>();
  useEffect(() => {
    let source: EventSource | undefined;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const open = () => {
      clearTimeout(timer);
      if (source && source.readyState !== EventSource.CLOSED) return;
      source = new EventSource(`/desk/api/sites/${encodeURIComponent(code)}/live`);
      source.onmessage = (message: MessageEvent<string>) => {
        const said = JSON.parse(message.data) as Told;
        setState("connected");
        if (said.kind === "order" && said.mode === "test")
          setSale({ code: said.code, what: said.what, at: Date.now() });
        caughtUp(queries, code, said);
      };
      source.onerror = () => {
        setState("lost");
        // A browser gives up for good after an error answer: then it is begun anew.
        if (source?.readyState === EventSource.CLOSED) timer = setTimeout(open, 2500);
      };
    };
    // A browser has few connections to a server. A window that nobody looks at gives its own back, and catches up.
    const seen = () => {
      clearTimeout(timer);
      if (!document.hidden) open();
      else timer = setTimeout(() => source?.close(), UNSEEN);
    };
    open();
    document.addEventListener("visibilitychange", seen);
    return () => {
      document.removeEventListener("visibilitychange", seen);
      clearTimeout(timer);
      source?.close();
    };
  }, [code, queries]);
  return { state, sale };
}

const MOMENT = 150;
const waiting = new Map<string, ReturnType<typeof setTimeout>>();
const own = new Set<string>();

/** A change that was made in this page: what shows it has been told already. */
export function madeHere(code: string, change: number) {
  own.add(`${code} ${change}`);
}

/** Asks anew, a moment later, so that many edits at once are one question; what was made here is known already. */
function later(queries: QueryClient, code: string) {
  if (waiting.has(code)) return;
  waiting.set(
    code,
    setTimeout(() => {
      waiting.delete(code);
      for (const about of ["itself", "list", "part", "review", "releases", "edits", "prices", "placements"])
        void refresh(queries, code, about);
    }, MOMENT),
  );
}

function caughtUp(queries: QueryClient, code: string, said: Told) {
  if (said.kind === "order") {
    void refresh(queries, code, "orders");
    void refresh(queries, code, "itself");
  } else if (said.kind === "draft") {
    if (said.by) editors.set(`${code} ${said.change}`, said.by);
    // The answer to an edit of one's own may come after the word of it.
    setTimeout(() => {
      if (!own.has(`${code} ${said.change}`)) later(queries, code);
    }, MOMENT);
  } else if (said.kind === "release") later(queries, code);
  else if (said.kind === "people") void refresh(queries, code, "team");
  else void refresh(queries, code);
}
