// A field of an amount: what is typed stands as it was typed, and is read as what people mean by it.
import { useState, type ReactNode } from "react";
import { styled } from "styled-components";

import { readAmount, readDecimal, type Read } from "../format/typedAmounts";

const Ask = styled.span`
  font-size: 13.5px;
  font-weight: 400;
  color: var(--pencil);
  white-space: normal;
  button {
    border: 0;
    padding: 4px 3px;
    background: none;
    color: var(--link);
    font: inherit;
    text-decoration: underline;
    cursor: pointer;
  }
`;

/** What a field is about: an amount in a currency, a number with decimals, or text that is left alone. */
export type About = { currency: string } | "decimal" | undefined;

const read = (text: string, about: About): Read =>
  about === undefined ? null : about === "decimal" ? readDecimal(text) : readAmount(text, about.currency);

/** The value as its field shows it, how it changes, and what has to be said of it: how it was understood, or which of
 * two amounts is meant. */
export function useTyped(
  value: string,
  onChange: ((value: string) => void) | undefined,
  about: About,
): { value: string; onChange: (text: string) => void; onBlur: () => void; told: ReactNode } {
  const [typed, setTyped] = useState<string>();
  const [left, setLeft] = useState(false);
  const found = typed === undefined ? null : read(typed, about);
  const meant = found && "amount" in found ? found.amount : typed;
  // Another value than the one that was typed has come meanwhile, as by undoing.
  const stands = typed !== undefined && meant === value;
  return {
    value: stands && !(left && found && "amount" in found) ? typed : value,
    onChange: (text) => {
      if (about !== undefined) setTyped(text);
      setLeft(false);
      const next = read(text, about);
      onChange?.(next && "amount" in next ? next.amount : text);
    },
    onBlur: () => setLeft(true),
    told: stands ? (
      <Told
        found={found}
        typed={typed}
        left={left}
        choose={(amount) => {
          setTyped(undefined);
          onChange?.(amount);
        }}
      />
    ) : null,
  };
}

function Told({
  found,
  typed,
  left,
  choose,
}: {
  found: Read;
  typed: string;
  left: boolean;
  choose: (amount: string) => void;
}) {
  if (found && "either" in found)
    return (
      <Ask role="status">
        {found.either.map((amount, i) => (
          <span key={amount}>
            {i ? " or " : "Is it "}
            <button type="button" onClick={() => choose(amount)}>
              {amount}
            </button>
          </span>
        ))}
        ?
      </Ask>
    );
  if (!found || found.amount === typed.trim()) return null;
  // It keeps its place when the field is left: nothing moves away under a finger that presses what comes next.
  return (
    <Ask role="status" style={left ? { visibility: "hidden" } : undefined}>
      read as {found.amount}
    </Ask>
  );
}
