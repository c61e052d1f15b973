// The edits of a site that are open: an editor that is left goes on storing, one that is opened again finds its
// edit, and the bar can say how many are still waiting. What is not stored is kept by the browser until it is.
import { useSyncExternalStore } from "react";

import { DraftSaver, type Keeper, type Kept } from "./DraftSaver";

const open = new Map<string, DraftSaver>();
const listeners = new Set<() => void>();
let waiting = 0;

const NAME = "unsaved edit ";

function keeperOf(key: string): Keeper {
  return {
    load: () => {
      try {
        const kept = localStorage.getItem(NAME + key);
        return kept ? (JSON.parse(kept) as Kept) : undefined;
      } catch {
        return undefined;
      }
    },
    keep: (kept) => {
      try {
        if (kept) localStorage.setItem(NAME + key, JSON.stringify(kept));
        else localStorage.removeItem(NAME + key);
      } catch {
        // A full or forbidden store: this page still has it.
      }
    },
  };
}

function count() {
  let found = 0;
  for (const saver of open.values()) if (saver.snapshot().state.kind === "unreachable") found += 1;
  if (found === waiting) return;
  waiting = found;
  listeners.forEach((listener) => listener());
}

/** The saver of a part: the one that is open already, or a new one. What it keeps is `person`'s own. */
export function saverOf(key: string, person: string, make: (keeper: Keeper) => DraftSaver): DraftSaver {
  const known = open.get(key);
  if (known) return known;
  const made = make(keeperOf(`${person} ${key}`));
  open.set(key, made);
  made.subscribe(count);
  count();
  return made;
}

export const openSaver = (key: string) => open.get(key);

/** Lets go of a saver that has nothing to store. */
export function letGo(key: string) {
  const saver = open.get(key);
  if (saver && !saver.unsaved) open.delete(key);
}

/** Stores everything that is waiting, as before an undo. */
export const sendAll = () => Promise.all([...open.values()].map((saver) => saver.send()));

export const anyUnsaved = () => [...open.values()].some((saver) => saver.unsaved);

/** How many edits wait for a connection. */
export const useWaitingEdits = () =>
  useSyncExternalStore(
    (listener) => {
      listeners.add(listener);
      return () => listeners.delete(listener);
    },
    () => waiting,
  );
