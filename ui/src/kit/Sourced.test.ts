import { expect, it } from "vitest";

import { parted } from "./Sourced";

it.each([
  ["Taxed at home, in Belgium, at 21 %.", "Taxed at home, in Belgium, at 21 %.", ""],
  [
    "An export without tax (from memory: Directive 2006/112/EC Art. 146).",
    "An export without tax.",
    "Directive 2006/112/EC Art. 146, from memory. Look it up where much depends on it.",
  ],
  [
    "It accounts for the tax itself (from memory).",
    "It accounts for the tax itself.",
    "A national rule, from memory. Look it up where much depends on it.",
  ],
  [
    "Taxed at home, in Finland, at 14 %. (Rate from memory.)",
    "Taxed at home, in Finland, at 14 %.",
    "The rate is written down from memory. Look it up where much depends on it.",
  ],
])("%s", (text, said, source) => {
  expect(parted(text)).toEqual({ said, source });
});
