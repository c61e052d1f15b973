// Undo and redo: what is stored when, and what happens where somebody else was faster.
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Refused, type Schemas } from "../../api/client";
import { EditHistory, whyNotUndone } from "./editHistory";

type Part = Schemas["Part"];
const part = (change: number, body: unknown, id = "kit"): Part => ({
  kind: "product",
  id,
  change,
  at: "2026-11-25T10:00:00Z",
  body,
});

describe("EditHistory", () => {
  let stored: { id: string; body: unknown; seen: number }[];
  let answers: (Part | Refused)[];
  let history: EditHistory;

  beforeEach(() => {
    vi.useFakeTimers();
    stored = [];
    answers = [];
    history = new EditHistory((_kind, id, body, seen) => {
      stored.push({ id, body, seen });
      const answer = answers.shift();
      return answer && !(answer instanceof Refused)
        ? Promise.resolve(answer)
        : Promise.reject(answer ?? new Error("asked once too often"));
    });
  });
  afterEach(() => vi.useRealTimers());

  const answer = (found: Part) => answers.push(found);

  it("stores what was there before, and what came after", async () => {
    history.note(part(2, { name: "B" }), "Kit", { name: "A" });
    expect(history.snapshot()).toEqual({ undo: "Kit", redo: "" });
    answer(part(3, { name: "A" }));
    expect(await history.undo()).toMatchObject({ words: "Undone: Kit", part: { change: 3 } });
    expect(stored[0]).toEqual({ id: "kit", seen: 2, body: { name: "A" } });
    expect(history.snapshot()).toEqual({ undo: "", redo: "Kit" });
    answer(part(4, { name: "B" }));
    await history.redo();
    expect(stored[1]).toEqual({ id: "kit", seen: 3, body: { name: "B" } });
  });

  it("archives what was added, and brings back what was archived", async () => {
    history.note(part(2, { name: "New" }), "New", null);
    answer(part(3, null));
    await history.undo();
    expect(stored[0]).toEqual({ id: "kit", seen: 2, body: null });
    history.note(part(5, null), "Old", { name: "Old" });
    answer(part(6, { name: "Old" }));
    await history.undo();
    expect(stored[1]).toEqual({ id: "kit", seen: 5, body: { name: "Old" } });
  });

  it("takes what is typed in one go as one step", async () => {
    history.note(part(2, { name: "B" }), "Kit", { name: "A" });
    vi.setSystemTime(Date.now() + 800);
    history.note(part(3, { name: "BC" }), "Kit", { name: "B" });
    vi.setSystemTime(Date.now() + 5000);
    history.note(part(4, { name: "BCD" }), "Kit", { name: "BC" });
    answer(part(5, { name: "BC" }));
    await history.undo();
    answer(part(6, { name: "A" }));
    await history.undo();
    expect(stored).toEqual([
      { id: "kit", seen: 4, body: { name: "BC" } },
      { id: "kit", seen: 5, body: { name: "A" } },
    ]);
    expect(await history.undo()).toBeUndefined();
  });

  const clash = (theirs: Part, both: unknown, same: boolean) =>
    new Refused({
      ...{ type: "", title: "", status: 409, detail: "x", errors: [] },
      current: {
        ...{ current: theirs, by: "Anna", both },
        rows: [{ what: "name", before: "B", mine: "A", theirs: "C", clash: same }],
      },
    });

  it("keeps what somebody else has changed since, and can do it again", async () => {
    history.note(part(2, { name: "B" }), "Kit", { name: "A" });
    history.seen(part(3, { name: "B", text: "theirs" }));
    answers.push(clash(part(3, { name: "B", text: "theirs" }), { name: "A", text: "theirs" }, false));
    answer(part(4, { name: "A", text: "theirs" }));
    await history.undo();
    expect(stored).toEqual([
      { id: "kit", seen: 2, body: { name: "A" } },
      { id: "kit", seen: 3, body: { name: "A", text: "theirs" } },
    ]);
    answer(part(5, { name: "B", text: "theirs" }));
    await history.redo();
    expect(stored.at(-1)).toEqual({ id: "kit", seen: 4, body: { name: "B", text: "theirs" } });
  });

  it("goes further back past what somebody else has stored in between", async () => {
    history.note(part(2, { name: "B" }), "Kit", { name: "A" });
    vi.setSystemTime(Date.now() + 5000);
    history.seen(part(3, { name: "B", text: "theirs" }));
    history.note(part(4, { name: "C", text: "theirs" }), "Kit", { name: "B", text: "theirs" });
    answer(part(5, { name: "B", text: "theirs" }));
    await history.undo();
    answers.push(clash(part(5, { name: "B", text: "theirs" }), { name: "A", text: "theirs" }, false));
    answer(part(6, { name: "A", text: "theirs" }));
    expect((await history.undo())?.part.body).toEqual({ name: "A", text: "theirs" });
    expect(stored.map((one) => one.seen)).toEqual([4, 2, 5]);
  });

  it("keeps the step where somebody else has changed the same thing, and says so", async () => {
    history.note(part(2, { name: "B" }), "Kit", { name: "A" });
    answers.push(clash(part(3, { name: "C" }), { name: "A" }, true));
    const error: unknown = await history.undo().catch((found: unknown) => found);
    expect(whyNotUndone(error)).toContain("Somebody else has changed the same thing since");
    expect(history.snapshot().undo).toBe("Kit");
    expect(stored).toHaveLength(1);
  });

  it("does not archive what somebody else has changed since it was added", async () => {
    history.note(part(2, { name: "New" }), "New", null);
    answers.push(clash(part(3, { name: "Theirs" }), null, false));
    await expect(history.undo()).rejects.toBeInstanceOf(Refused);
    expect(stored).toEqual([{ id: "kit", seen: 2, body: null }]);
  });
});
