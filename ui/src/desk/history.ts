// Undo and redo across the sheet: each stored edit can be taken back by storing what was there before.
import { useSyncExternalStore } from "react";

import { api, data, Refused, type Schemas } from "../api/client";

type Part = Schemas["Part"];
type Kind = Part["kind"];
export type ListKind = "product" | "checkout" | "stand_in_buyer";

interface Step {
  kind: Kind;
  id: string;
  name: string;
  before: unknown;
  after: unknown;
  at: number;
}

export interface Undone {
  part: Part;
  words: string;
}

/** Stores a part as it was seen at a change; a body of null archives it. */
export type Store = (kind: Kind, id: string, body: unknown, seen: number) => Promise<Part>;

const MOST = 100;
const TOGETHER = 1500;

/** The edits of one site that this window has made. A body of null is a part that is not there. */
export class EditHistory {
  private done: Step[] = [];
  private taken: Step[] = [];
  private changes = new Map<string, number>();
  private listeners = new Set<() => void>();
  private shown = { undo: "", redo: "" };

  constructor(private readonly store: Store) {}

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  /** What could be undone and redone, by name; empty where nothing can. */
  readonly snapshot = () => this.shown;

  /** Notes a stored edit. What is typed on in one go is one step. */
  note(part: Part, name: string, before: unknown) {
    const last = this.done.at(-1);
    const now = Date.now();
    const same = last && last.kind === part.kind && last.id === part.id;
    if (same && before !== null && part.body !== null && now - last.at < TOGETHER) {
      last.after = part.body;
      last.at = now;
    } else {
      this.done.push({ kind: part.kind, id: part.id, name, before, after: part.body, at: now });
      if (this.done.length > MOST) this.done.shift();
    }
    this.taken = [];
    this.changes.set(`${part.kind} ${part.id}`, part.change);
    this.tell();
  }

  /** The part stands at another change now, which this window has seen. */
  seen(part: Part) {
    const key = `${part.kind} ${part.id}`;
    if ((this.changes.get(key) ?? 0) < part.change) this.changes.set(key, part.change);
  }

  undo = () => this.move(this.done, this.taken, "before");
  redo = () => this.move(this.taken, this.done, "after");

  private async move(from: Step[], to: Step[], side: "before" | "after"): Promise<Undone | undefined> {
    const step = from.at(-1);
    if (!step) return undefined;
    const key = `${step.kind} ${step.id}`;
    const part = await this.store(step.kind, step.id, step[side], this.changes.get(key) ?? 0);
    from.pop();
    to.push({ ...step, at: 0 });
    this.changes.set(key, part.change);
    this.tell();
    return { part, words: `${side === "before" ? "Undone" : "Done again"}: ${step.name}` };
  }

  private tell() {
    this.shown = { undo: this.done.at(-1)?.name ?? "", redo: this.taken.at(-1)?.name ?? "" };
    this.listeners.forEach((listener) => listener());
  }
}

function storePart(site: string, kind: Kind, id: string, body: unknown, seen: number): Promise<Part> {
  if (body !== null) {
    const path = { site, kind, part_id: id };
    return data(
      api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
        params: { path },
        body: { seen, body: body as Record<string, unknown> },
      }),
    );
  }
  const path = { site, kind: kind as ListKind, part_id: id };
  return data(
    api.DELETE("/desk/api/sites/{site}/parts/{kind}/{part_id}", { params: { path, query: { seen } } }),
  );
}

const histories = new Map<string, EditHistory>();

export function historyOf(site: string): EditHistory {
  const known = histories.get(site);
  if (known) return known;
  const made = new EditHistory((kind, id, body, seen) => storePart(site, kind, id, body, seen));
  histories.set(site, made);
  return made;
}

export function useHistory(site: string) {
  const history = historyOf(site);
  const shown = useSyncExternalStore(history.subscribe, history.snapshot);
  return { history, ...shown };
}

/** Why an undo did not happen, in a sentence. */
export function whyNotUndone(error: unknown): string {
  if (error instanceof Refused && error.problem.status === 409)
    return "Somebody else has changed it since. Nothing was undone.";
  return error instanceof Refused ? `${error.problem.detail} Nothing was undone.` : "Nothing was undone.";
}
