// The tape's answers: asked for at every key press, one question at a time, always the newest; and what the last
// edit has changed, against how it stood before one began to type.
import type { Schemas } from "../../api/client";

export type TapesView = Schemas["TapesView"];
export type TapeView = Schemas["TapeView"];
export type TapeRequest = Schemas["TapeRequest"];

/** The old amounts of rows that an edit has changed, by tape and by row. */
export type Marks = Record<string, Record<string, string>>;

export interface Roll {
  tapes: TapesView | null | undefined;
  marks: Marks;
  away: boolean;
  problem: string | undefined;
}

/** What a question was asked for: something edited, or another buyer, quantity or thing looked at. */
export interface Question {
  request: TapeRequest;
  /** The draft's change that is known: when it moves on, the tape is asked for again. */
  change: number;
}

/** All that a question is made of. It comes from several places, and each says what it knows. */
export interface Known {
  ready: boolean;
  subject: Schemas["Subject"] | undefined;
  unsaved: Schemas["UnsavedPart"] | undefined;
  quantity: number | undefined;
  price: string | undefined;
  variant: string | undefined;
  coupon: string | undefined;
  buyers: Schemas["BuyerChoice"][];
  change: number;
}

const MARKED_FOR = 8000;
const TRY_AGAIN = 2000;

export class TapeRoll {
  private roll: Roll = { tapes: undefined, marks: {}, away: false, problem: undefined };
  private knowing = false;
  private known: Known = {
    ready: false,
    subject: undefined,
    unsaved: undefined,
    quantity: undefined,
    price: undefined,
    variant: undefined,
    coupon: undefined,
    buyers: [],
    change: 0,
  };
  private wanted: Question | undefined;
  private asked: Question | undefined;
  private busy = false;
  private baseline: TapesView | null | undefined;
  private fade: ReturnType<typeof setTimeout> | undefined;
  private again: ReturnType<typeof setTimeout> | undefined;
  private listeners = new Set<() => void>();

  constructor(
    private readonly ask: (request: TapeRequest) => Promise<TapesView | null>,
    private readonly refusalOf: (error: unknown) => string | undefined,
  ) {}

  readonly subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  readonly snapshot = () => this.roll;

  /** Takes news and asks a moment later; news of one moment are one question. */
  readonly know = (news: Partial<Known>) => {
    this.known = { ...this.known, ...news };
    if (this.knowing) return;
    this.knowing = true;
    queueMicrotask(this.askNow);
  };

  readonly askNow = () => {
    if (!this.knowing) return;
    this.knowing = false;
    const { ready, subject, unsaved, quantity, price, variant, coupon, buyers, change } = this.known;
    if (!ready) return;
    const tried = {
      quantity: quantity ?? null,
      price: price ?? null,
      variant: variant ?? null,
      coupon: coupon ?? null,
    };
    const request = { about: subject ?? null, ...tried, buyers, unsaved: unsaved ?? null };
    this.want({ request, change });
  };

  readonly want = (question: Question) => {
    if (this.wanted && JSON.stringify(this.wanted) === JSON.stringify(question)) return;
    this.wanted = question;
    void this.next();
  };

  readonly stop = () => {
    clearTimeout(this.fade);
    clearTimeout(this.again);
  };

  private async next() {
    if (this.busy || !this.wanted || this.wanted === this.asked) return;
    const question = this.wanted;
    this.busy = true;
    clearTimeout(this.again);
    try {
      const tapes = await this.ask(question.request);
      this.show(tapes, this.asked !== undefined && sameView(this.asked, question));
      this.asked = question;
    } catch (error) {
      const problem = this.refusalOf(error);
      if (problem !== undefined) this.asked = question;
      else this.again = setTimeout(() => void this.next(), TRY_AGAIN);
      this.set({ ...this.roll, away: problem === undefined, problem });
    }
    this.busy = false;
    if (this.wanted !== question) void this.next();
  }

  private show(tapes: TapesView | null, edited: boolean) {
    if (!edited || this.baseline === undefined) this.baseline = tapes;
    const marks = marksBetween(this.baseline, tapes);
    this.set({ tapes, marks, away: false, problem: undefined });
    clearTimeout(this.fade);
    if (Object.keys(marks).length)
      this.fade = setTimeout(() => {
        this.baseline = this.roll.tapes;
        this.set({ ...this.roll, marks: {} });
      }, MARKED_FOR);
  }

  private set(roll: Roll) {
    this.roll = roll;
    this.listeners.forEach((listener) => listener());
  }
}

/** Whether two questions look at the same thing for the same buyers, so that a difference is an edit's. */
function sameView(a: Question, b: Question): boolean {
  const view = ({ request }: Question) => JSON.stringify({ ...request, unsaved: null });
  return view(a) === view(b);
}

export function marksBetween(before: TapesView | null | undefined, after: TapesView | null): Marks {
  const marks: Marks = {};
  if (!before || !after) return marks;
  after.tapes.forEach((tape, i) => {
    const old = before.tapes[i];
    if (!old || old.id !== tape.id || old.currency !== tape.currency) return;
    for (const row of tape.rows) {
      const was = old.rows.find((one) => one.key === row.key);
      if (was && was.amount !== row.amount) (marks[`${i} ${tape.id}`] ??= {})[row.key] = was.amount;
    }
  });
  return marks;
}
