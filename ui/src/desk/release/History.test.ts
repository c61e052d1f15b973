// The history: edits of one change stand together.
import { describe, expect, it } from "vitest";

import type { Schemas } from "../../api/client";
import { changes } from "./History";

const edit = (change: number, id: string): Schemas["EditView"] => ({
  ...{ change, kind: "product", id, name: id, at: "2026-11-26T10:00:00Z" },
  ...{ by: "Noor", archived: false, differences: [] },
});

describe("changes", () => {
  it("keeps the order, the newest first", () => {
    const found = changes([edit(9, "a"), edit(7, "b"), edit(7, "c"), edit(1, "d")]);
    expect(found.map((parts) => parts.map((one) => one.id))).toEqual([["a"], ["b", "c"], ["d"]]);
  });

  it("joins what two pages have of one change", () => {
    expect(changes([edit(2, "a"), edit(1, "b"), edit(1, "c")])).toHaveLength(2);
    expect(changes([])).toEqual([]);
  });
});
