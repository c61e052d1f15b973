// Saving as one types: one save at a time, nothing lost, conflicts told.
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Refused, type Schemas } from "../../api/client";
import { DraftSaver, type Kept, type PartBody } from "./DraftSaver";

type Part = Schemas["Part"];

const part = (change: number, name: string): Part => ({
  kind: "product",
  id: "kit",
  change,
  at: "2026-11-24T10:00:00Z",
  body: { id: "kit", name },
});

const clash = (current: Part, both: PartBody): Schemas["ClashView"] => ({
  current,
  by: "Anna",
  rows: [],
  both,
});

const refusal = (status: number, current: unknown = null) =>
  new Refused({ type: "about:blank", title: "", status, detail: "because", errors: [], current });

/** A server that answers each save as the test says, and notes what it was sent. */
class Server {
  sent: { seen: number; body: PartBody; answer: (part: Part) => void; refuse: (error: unknown) => void }[] =
    [];
  readonly save = (seen: number, body: PartBody) =>
    new Promise<Part>((answer, refuse) => this.sent.push({ seen, body, answer, refuse }));

  last() {
    const found = this.sent.at(-1);
    if (!found) throw new Error("nothing was sent");
    return found;
  }
}

describe("DraftSaver", () => {
  let server: Server;
  let saver: DraftSaver;
  let saved: Part[];

  beforeEach(() => {
    vi.useFakeTimers();
    server = new Server();
    saved = [];
    saver = new DraftSaver(part(1, "Kit"), server.save, (one) => saved.push(one));
  });
  afterEach(() => vi.useRealTimers());

  const edit = (name: string) => saver.edit({ id: "kit", name });
  const settle = () => vi.advanceTimersByTimeAsync(0);

  it("sends what was typed last, after a pause, with the change it was seen at", async () => {
    edit("A");
    edit("AB");
    expect(server.sent).toEqual([]);
    await vi.advanceTimersByTimeAsync(500);
    expect(server.sent.map(({ seen, body }) => [seen, body.name])).toEqual([[1, "AB"]]);
    expect(saver.snapshot().state.kind).toBe("saving");
    server.last().answer(part(2, "AB"));
    await settle();
    expect(saver.snapshot().state).toEqual({ kind: "saved", at: "2026-11-24T10:00:00Z" });
    expect(saved.map((one) => one.change)).toEqual([2]);
    expect(saver.unsaved).toBe(false);
  });

  it("sends one save at a time and then what was typed meanwhile", async () => {
    edit("A");
    await vi.advanceTimersByTimeAsync(500);
    edit("AB");
    await vi.advanceTimersByTimeAsync(2000);
    expect(server.sent).toHaveLength(1);
    server.last().answer(part(2, "A"));
    await vi.advanceTimersByTimeAsync(500);
    expect(server.last()).toMatchObject({ seen: 2, body: { name: "AB" } });
    expect(saver.snapshot().body.name).toBe("AB");
  });

  it.each([0, 500, 503])("tries again by itself when it cannot be reached (%i)", async (status) => {
    edit("A");
    await vi.advanceTimersByTimeAsync(500);
    server.last().refuse(refusal(status));
    await settle();
    expect(saver.snapshot().state.kind).toBe("unreachable");
    expect(saver.unsaved).toBe(true);
    await vi.advanceTimersByTimeAsync(3000);
    expect(server.sent).toHaveLength(2);
    server.last().answer(part(2, "A"));
    await settle();
    expect(saver.unsaved).toBe(false);
  });

  it("keeps what was refused, and sends it again only once it was corrected", async () => {
    edit("");
    await vi.advanceTimersByTimeAsync(500);
    server.last().refuse(refusal(422));
    await vi.advanceTimersByTimeAsync(60_000);
    expect(server.sent).toHaveLength(1);
    expect(saver.snapshot()).toMatchObject({ body: { name: "" }, state: { kind: "refused" } });
    edit("Kit");
    await vi.advanceTimersByTimeAsync(500);
    expect(server.last()).toMatchObject({ seen: 1, body: { name: "Kit" } });
  });

  it("shows a conflict without losing either, and keeps mine over theirs", async () => {
    edit("Mine");
    await vi.advanceTimersByTimeAsync(500);
    server.last().refuse(refusal(409, clash(part(7, "Theirs"), {})));
    await settle();
    expect(saver.snapshot()).toMatchObject({
      body: { name: "Mine" },
      state: { kind: "conflict", clash: { current: { body: { name: "Theirs" } } } },
    });
    edit("Mine, longer");
    await vi.advanceTimersByTimeAsync(5000);
    expect(server.sent).toHaveLength(1);
    saver.keepMine();
    await settle();
    expect(server.last()).toMatchObject({ seen: 7, body: { name: "Mine, longer" } });
  });

  it("keeps both edits in one", async () => {
    edit("Mine");
    await vi.advanceTimersByTimeAsync(500);
    server.last().refuse(refusal(409, clash(part(7, "Theirs"), { id: "kit", name: "Mine", text: "Theirs" })));
    await settle();
    saver.keepBoth();
    await settle();
    expect(server.last()).toMatchObject({ seen: 7, body: { name: "Mine", text: "Theirs" } });
    expect(saver.snapshot().body).toMatchObject({ text: "Theirs" });
  });

  it("takes theirs in place of mine", async () => {
    edit("Mine");
    await vi.advanceTimersByTimeAsync(500);
    server.last().refuse(refusal(409, clash(part(7, "Theirs"), {})));
    await settle();
    saver.takeTheirs();
    expect(saver.snapshot()).toMatchObject({ body: { name: "Theirs" }, state: { kind: "saved" } });
    expect(saver.unsaved).toBe(false);
    edit("Theirs, longer");
    await vi.advanceTimersByTimeAsync(500);
    expect(server.last().seen).toBe(7);
  });

  it("stores at once what is waiting when the editor is left", async () => {
    edit("A");
    void saver.send();
    await settle();
    expect(server.sent).toHaveLength(1);
    await vi.advanceTimersByTimeAsync(5000);
    expect(server.sent).toHaveLength(1);
  });

  it("takes over what somebody else stored, but not while something is typed here", async () => {
    saver.adopt(part(4, "Theirs"), "Anna");
    expect(saver.snapshot()).toMatchObject({
      body: { name: "Theirs" },
      state: { kind: "saved", by: "Anna" },
    });
    saver.adopt(part(3, "Older"));
    expect(saver.snapshot().body.name).toBe("Theirs");
    edit("Mine");
    saver.adopt(part(5, "Newer"));
    expect(saver.snapshot().body.name).toBe("Mine");
    await vi.advanceTimersByTimeAsync(500);
    expect(server.last().seen).toBe(4);
  });

  it("keeps what is not stored beyond the page, and sends it when it is opened again", async () => {
    let kept: Kept | undefined;
    const keeper = { load: () => kept, keep: (next: Kept | undefined) => (kept = next) };
    const first = new DraftSaver(part(1, "Kit"), server.save, () => undefined, keeper);
    first.edit({ id: "kit", name: "Typed offline" });
    await vi.advanceTimersByTimeAsync(500);
    server.last().refuse(refusal(0));
    await settle();
    expect(kept).toEqual({ seen: 1, body: { id: "kit", name: "Typed offline" } });
    const again = new DraftSaver(part(6, "Kit"), server.save, () => undefined, keeper);
    expect(again.snapshot().body.name).toBe("Typed offline");
    await vi.advanceTimersByTimeAsync(0);
    expect(server.last()).toMatchObject({ seen: 1, body: { name: "Typed offline" } });
    server.last().answer(part(7, "Typed offline"));
    await settle();
    expect(kept).toBeUndefined();
  });

  it("tells whoever listens, until they stop", () => {
    const heard = vi.fn();
    const stop = saver.subscribe(heard);
    edit("A");
    stop();
    edit("B");
    expect(heard).toHaveBeenCalledTimes(1);
  });
});
