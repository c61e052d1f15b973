// A part of the draft while it is edited: saved as it is typed, one save at a time, nothing typed is ever lost.
import { Refused, type Schemas } from "../../api/client";

export type Part = Schemas["Part"];
export type PartBody = Record<string, unknown>;
export type Clash = Schemas["ClashView"];

export type SaveState =
  | { kind: "saved"; at: string; by?: string | undefined }
  | { kind: "saving" }
  | { kind: "refused"; error: Refused }
  | { kind: "conflict"; clash: Clash }
  | { kind: "unreachable" };

export interface Draft {
  body: PartBody;
  state: SaveState;
}

/** What is kept of an edit that has not been stored: it outlives the page. */
export interface Kept {
  seen: number;
  body: PartBody;
}

export interface Keeper {
  load: () => Kept | undefined;
  keep: (kept: Kept | undefined) => void;
}

const PAUSE = 500;
const TRY_AGAIN = 3000;

export class DraftSaver {
  private draft: Draft;
  private seen: number;
  private stored: PartBody;
  private dirty = false;
  private busy = false;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private listeners = new Set<() => void>();

  constructor(
    part: Part,
    private readonly save: (seen: number, body: PartBody) => Promise<Part>,
    private readonly saved: (part: Part, before: PartBody) => void,
    private readonly keeper?: Keeper,
  ) {
    this.draft = { body: part.body as PartBody, state: { kind: "saved", at: part.at } };
    this.seen = part.change;
    this.stored = part.body as PartBody;
    const kept = keeper?.load();
    if (!kept) return;
    // Typed before the page was left, and not stored then: it is sent now, with what was seen then.
    this.draft = { body: kept.body, state: { kind: "unreachable" } };
    this.seen = kept.seen;
    this.dirty = true;
    this.later(0);
  }

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  readonly snapshot = () => this.draft;

  /** Whether something typed has not been stored yet. */
  get unsaved(): boolean {
    return this.dirty || this.busy;
  }

  readonly edit = (body: PartBody) => {
    this.dirty = true;
    const { state } = this.draft;
    this.set({ body, state: state.kind === "saved" ? { kind: "saving" } : state });
    this.keep();
    if (this.draft.state.kind !== "conflict") this.later(PAUSE);
  };

  /** The part was stored by somebody else, or by an undo. What is being typed here stays; it will be told. */
  readonly adopt = (part: Part, by?: string) => {
    if (part.change <= this.seen || this.unsaved) return;
    this.seen = part.change;
    this.stored = part.body as PartBody;
    this.set({ body: this.stored, state: { kind: "saved", at: part.at, by } });
  };

  /** After a conflict: what was typed here is written over theirs. */
  readonly keepMine = () => this.settleConflict((clash) => [clash, this.draft.body]);

  /** After a conflict: both edits in one; where both have changed the same thing, mine. */
  readonly keepBoth = () => this.settleConflict((clash) => [clash, clash.both as PartBody]);

  /** After a conflict: what they wrote takes the place of what was typed here. */
  readonly takeTheirs = () => {
    if (this.draft.state.kind !== "conflict") return;
    const { current } = this.draft.state.clash;
    this.seen = current.change;
    this.dirty = false;
    this.stored = current.body as PartBody;
    this.set({ body: this.stored, state: { kind: "saved", at: current.at } });
    this.keep();
    this.saved(current, this.stored);
  };

  /** Stores at once what is still waiting, as when the editor is left; afterwards it is known what became of it. */
  readonly send = async () => {
    clearTimeout(this.timer);
    if (this.busy || !this.dirty) return;
    this.busy = true;
    this.dirty = false;
    const { body } = this.draft;
    this.set({ ...this.draft, state: { kind: "saving" } });
    try {
      const part = await this.save(this.seen, body);
      const before = this.stored;
      this.seen = part.change;
      this.stored = part.body as PartBody;
      this.settle({ kind: "saved", at: part.at });
      this.saved(part, before);
    } catch (error) {
      this.dirty = true;
      this.settle(whyNot(error));
    }
  };

  private settleConflict(decide: (clash: Clash) => [Clash, PartBody]) {
    if (this.draft.state.kind !== "conflict") return;
    const [clash, body] = decide(this.draft.state.clash);
    this.seen = clash.current.change;
    this.stored = clash.current.body as PartBody;
    this.dirty = true;
    this.set({ body, state: { kind: "saving" } });
    void this.send();
  }

  private settle(state: SaveState) {
    this.busy = false;
    this.keep();
    this.set({ ...this.draft, state });
    if (state.kind === "saved" && this.dirty) this.later(PAUSE);
    if (state.kind === "unreachable") this.later(TRY_AGAIN);
  }

  private keep() {
    this.keeper?.keep(this.unsaved ? { seen: this.seen, body: this.draft.body } : undefined);
  }

  private later(pause: number) {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.send(), pause);
  }

  private set(draft: Draft) {
    this.draft = draft;
    this.listeners.forEach((listener) => listener());
  }
}

function whyNot(error: unknown): SaveState {
  const status = error instanceof Refused ? error.problem.status : 0;
  // Whoever was signed out signs in again, and then it is stored.
  if (!(error instanceof Refused) || status === 0 || status === 401 || status >= 500)
    return { kind: "unreachable" };
  const current = error.problem.current as Clash | null | undefined;
  if (status === 409 && current) return { kind: "conflict", clash: current };
  return { kind: "refused", error };
}
