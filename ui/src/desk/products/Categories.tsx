// The owner's words for products that belong together, with commas between them.
import { useState } from "react";

import { Field } from "../../kit/fields/Field";

const words = (text: string) =>
  text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean);

/** What is typed stays as it is typed, as long as it says the same. */
export function Categories({
  value,
  isDisabled,
  problem,
  onChange,
}: {
  value: string[] | undefined;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (value: string[] | undefined) => void;
}) {
  const stored = value ?? [];
  const [typed, setTyped] = useState(stored.join(", "));
  const shown = words(typed).join() === stored.join() ? typed : stored.join(", ");
  const wrong = stored.map((_, i) => problem(`categories[${i}]`)).find(Boolean) ?? problem("categories");
  return (
    <Field
      label="Categories"
      hint="Words of yours, with commas between them. Products are found by them."
      value={shown}
      isDisabled={isDisabled}
      problem={wrong}
      onChange={(text) => {
        setTyped(text);
        const next = words(text);
        onChange(next.length ? next : undefined);
      }}
    />
  );
}
