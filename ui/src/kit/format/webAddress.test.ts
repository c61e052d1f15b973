import { expect, test } from "vitest";

import { inFull } from "./webAddress";

test("an address is completed as browsers do, and nothing else of it is changed", () => {
  expect(inFull(" velo.example ")).toBe("https://velo.example");
  expect(inFull("www.velo.example/shop")).toBe("https://www.velo.example/shop");
  expect(inFull("https://https://velo.example")).toBe("https://velo.example");
  expect(inFull("https://http://velo.example/a")).toBe("http://velo.example/a");
  expect(inFull("localhost:8403")).toBe("http://localhost:8403");
  expect(inFull("website.localhost:8403")).toBe("http://website.localhost:8403");
  expect(inFull("127.0.0.1:8403")).toBe("http://127.0.0.1:8403");
  expect(inFull("localhostel.example")).toBe("https://localhostel.example");
  expect(inFull("HTTP://Velo.example")).toBe("HTTP://Velo.example");
  expect(inFull("ftp://velo.example")).toBe("ftp://velo.example");
  expect([inFull(""), inFull("https://")]).toEqual(["", "https://"]);
});
