// What is due, said to those who do not see it.
import { useState, useRef, useEffect } from "react";
import { useRoll } from "./tapeState";

const PAUSE_BEFORE_SAYING = 900;

/** Tells assistive technology what an edit has done to the amount, once one stops typing. */
export function Announced() {
  const roll = useRoll();
  const [words, setWords] = useState("");
  const last = useRef("");
  const tape = roll.tapes?.tapes[0];
  const was = roll.marks[`0 ${tape?.id ?? ""}`]?.due;
  const due = tape?.rows.find((row) => row.key === "due")?.amount;
  useEffect(() => {
    if (!tape || !due || !was) return;
    const next = `${tape.name}: due today ${tape.currency} ${due}, was ${was}.`;
    if (next === last.current) return;
    const timer = setTimeout(() => {
      last.current = next;
      setWords(next);
    }, PAUSE_BEFORE_SAYING);
    return () => clearTimeout(timer);
  }, [tape, due, was]);
  return (
    <p className="hidden" role="status">
      {words}
    </p>
  );
}
