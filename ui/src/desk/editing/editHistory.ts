// Undo and redo across the sheet: each stored edit can be taken back by storing what was there before.
import { useSyncExternalStore } from "react";

import { api, data, Refused, type Schemas } from "../../api/client";

type Part = Schemas["Part"];
type Kind = Part["kind"];
type Clash = Schemas["ClashView"];
export type ListKind = "product" | "coupon" | "checkout" | "stand_in_buyer";

/** An edit as it was stored: what was there, what is there now, and since which change. Null: no such part. */
interface Step {
  kind: Kind;
  id: string;
  name: string;
  was: unknown;
  now: unknown;
  change: number;
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
  private known = new Map<string, { change: number; body: unknown }>();
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
  note(part: Part, name: string, was: unknown) {
    const last = this.done.at(-1);
    const at = Date.now();
    const { kind, id, change, body: now } = part;
    const same = last && last.kind === kind && last.id === id && alike(last.now, was);
    if (same && was !== null && now !== null && at - last.at < TOGETHER)
      Object.assign(last, { now, change, at });
    else {
      this.done.push({ kind, id, name, was, now, change, at });
      if (this.done.length > MOST) this.done.shift();
    }
    this.taken = [];
    this.seen(part);
    this.tell();
  }

  /** The part stands like this now, whoever has stored it. */
  seen({ kind, id, change, body }: Part) {
    const key = `${kind} ${id}`;
    if ((this.known.get(key)?.change ?? 0) < change) this.known.set(key, { change, body });
  }

  undo = () => this.move(this.done, this.taken, "Undone");
  redo = () => this.move(this.taken, this.done, "Done again");

  private async move(from: Step[], to: Step[], word: string): Promise<Undone | undefined> {
    const step = from.at(-1);
    if (!step) return undefined;
    const { kind, id, name } = step;
    const known = this.known.get(`${kind} ${id}`);
    const { part, replaced } = await this.putBack(
      step,
      known && alike(known.body, step.now) ? known.change : step.change,
    );
    from.pop();
    to.push({ kind, id, name, was: replaced, now: part.body, change: part.change, at: 0 });
    this.seen(part);
    this.tell();
    return { part, words: `${word}: ${name}` };
  }

  /** Stores what was there before a step. What others have changed since stays, unless it is the same thing. */
  private async putBack(step: Step, seen: number): Promise<{ part: Part; replaced: unknown }> {
    const { kind, id, was, now } = step;
    try {
      return { part: await this.store(kind, id, was, seen), replaced: now };
    } catch (error) {
      const clash =
        error instanceof Refused ? (error.problem.current as Clash | null | undefined) : undefined;
      if (was === null || now === null || !clash || clash.rows.some((row) => row.clash)) throw error;
      const { current, both } = clash;
      return { part: await this.store(kind, id, both, current.change), replaced: current.body };
    }
  }

  private tell() {
    this.shown = { undo: this.done.at(-1)?.name ?? "", redo: this.taken.at(-1)?.name ?? "" };
    this.listeners.forEach((listener) => listener());
  }
}

const alike = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);

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
    return "Somebody else has changed the same thing since. Nothing was undone.";
  return error instanceof Refused ? `${error.problem.detail} Nothing was undone.` : "Nothing was undone.";
}
