// A part of the draft while it is edited: saved as it is typed, one save at a time, nothing typed is ever lost.
import { Refused, type Schemas } from "../api/client";

type Part = Schemas["Part"];
export type PartBody = Part["body"];

export type SaveState =
  | { kind: "saved"; at: string }
  | { kind: "saving" }
  | { kind: "refused"; error: Refused }
  | { kind: "conflict"; current: Part }
  | { kind: "unreachable" };

export interface Draft {
  body: PartBody;
  state: SaveState;
}

const PAUSE = 500;
const TRY_AGAIN = 3000;

export class DraftSaver {
  private draft: Draft;
  private seen: number;
  private dirty = false;
  private busy = false;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private listeners = new Set<() => void>();

  constructor(
    part: Part,
    private readonly save: (seen: number, body: PartBody) => Promise<Part>,
    private readonly saved: (part: Part) => void,
  ) {
    this.draft = { body: part.body, state: { kind: "saved", at: part.at } };
    this.seen = part.change;
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
    this.set({ ...this.draft, body });
    this.later(PAUSE);
  };

  /** After a conflict: what was typed here is written over theirs. */
  readonly keepMine = () => {
    if (this.draft.state.kind !== "conflict") return;
    this.seen = this.draft.state.current.change;
    void this.send();
  };

  /** After a conflict: what they wrote takes the place of what was typed here. */
  readonly takeTheirs = () => {
    if (this.draft.state.kind !== "conflict") return;
    const { current } = this.draft.state;
    this.seen = current.change;
    this.dirty = false;
    this.set({ body: current.body, state: { kind: "saved", at: current.at } });
    this.saved(current);
  };

  /** Stores at once what is still waiting, as when the editor is left. */
  readonly send = async () => {
    clearTimeout(this.timer);
    if (this.busy || !this.dirty) return;
    this.busy = true;
    this.dirty = false;
    const { body } = this.draft;
    this.set({ ...this.draft, state: { kind: "saving" } });
    try {
      const part = await this.save(this.seen, body);
      this.seen = part.change;
      this.settle({ kind: "saved", at: part.at });
      this.saved(part);
    } catch (error) {
      this.dirty = true;
      this.settle(whyNot(error));
    }
  };

  private settle(state: SaveState) {
    this.busy = false;
    this.set({ ...this.draft, state });
    if (state.kind === "saved" && this.dirty) this.later(PAUSE);
    if (state.kind === "unreachable") this.later(TRY_AGAIN);
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
  if (!(error instanceof Refused) || error.problem.status === 0 || error.problem.status >= 500) {
    return { kind: "unreachable" };
  }
  if (error.problem.status === 409 && error.problem.current) {
    return { kind: "conflict", current: error.problem.current as Part };
  }
  return { kind: "refused", error };
}
