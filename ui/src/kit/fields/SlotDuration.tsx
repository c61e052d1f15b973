import { useState } from "react";

import { SlotChoice, SlotText } from "./Sentence";
import { everyWords, lengthWords } from "../format/durations";

const OTHER = "other";

interface Props {
  label: string;
  value: string;
  options: readonly string[];
  /** "every month", or a length: "1 month". */
  as: "every" | "length";
  onChange: (value: string) => void;
  invalid?: boolean;
  isDisabled?: boolean;
}

/** A duration in a sentence: one of the usual ones, or any as the site file writes it. */
export function SlotDuration({ label, value, options, as, onChange, invalid, isDisabled }: Props) {
  const [typing, setTyping] = useState(false);
  const words = as === "every" ? everyWords : lengthWords;
  if (typing) {
    return (
      <>
        <SlotText
          label={`${label}, as in P18M`}
          value={value}
          onChange={onChange}
          invalid={invalid}
          isDisabled={isDisabled}
        />{" "}
        <span className="aside">(P18M: 18 months, P10D: 10 days)</span>
      </>
    );
  }
  const listed = options.includes(value) ? options : [...options, value];
  return (
    <SlotChoice
      label={label}
      value={value}
      options={[...listed.map((one) => [one, words(one)] as const), [OTHER, "another time …"] as const]}
      invalid={invalid}
      isDisabled={isDisabled}
      onChange={(next) => (next === OTHER ? setTyping(true) : onChange(next))}
    />
  );
}
