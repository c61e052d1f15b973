import { describe, expect, it } from "vitest";

import { patiently } from "./fetched";

const failing = (times: number) => {
  let asked = 0;
  const fetch = () => (asked++ < times ? Promise.reject(new Error("offline")) : Promise.resolve("there"));
  return { fetch, asked: () => asked };
};

describe("what is fetched when it is met", () => {
  it.each([0, 1, 3])("is there after it failed %i times", async (times) => {
    const { fetch, asked } = failing(times);
    expect(await patiently(fetch, [1, 1, 1])).toBe("there");
    expect(asked()).toBe(times + 1);
  });

  it("is given up after the last pause", async () => {
    const { fetch, asked } = failing(9);
    await expect(patiently(fetch, [1, 1, 1])).rejects.toThrow("offline");
    expect(asked()).toBe(4);
  });
});
