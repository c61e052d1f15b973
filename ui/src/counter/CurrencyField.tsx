// In which currency it is paid.
import { useId } from "react";
import { styled } from "styled-components";

import type { Counter } from "./boot";
import type { Currencies } from "./currency";

const Line = styled.div`
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 2px 10px;
  select {
    min-height: 44px;
    max-width: 100%;
    padding: 0 10px;
    background: #fff;
    border: 1px solid var(--edge);
    border-radius: 6px;
  }
  .told {
    flex-basis: 100%;
    font-size: 14px;
    color: var(--soft);
  }
  .told.problem {
    color: var(--wrong);
  }
`;

const NAMES = new Intl.DisplayNames("en", { type: "currency" });

const named = (code: string) => `${NAMES.of(code) ?? code} (${code})`;

/** The choice where there is one; where the owner hides it, what was guessed. Where there is one currency, nothing. */
export function CurrencyField({ counter, currencies }: { counter: Counter; currencies: Currencies }) {
  const id = useId();
  const { guessed, failed } = currencies;
  if (counter.currencies.length < 2) return null;
  if (!counter.chooser)
    return guessed ? (
      <p className="lead">You pay in {named(counter.currency)}, the money of your country.</p>
    ) : null;
  const told = failed
    ? "The currency could not be changed. Check your connection, and choose once more."
    : guessed
      ? "Our guess from your country."
      : undefined;
  return (
    <Line>
      <label htmlFor={id}>You pay in</label>
      <select
        id={id}
        name="currency"
        autoComplete="off"
        value={counter.currency}
        aria-describedby={told ? `${id}-told` : undefined}
        onChange={(event) => currencies.choose(event.target.value)}
      >
        {counter.currencies.map((code) => (
          <option key={code} value={code}>
            {named(code)}
          </option>
        ))}
      </select>
      {told ? (
        <span className={failed ? "told problem" : "told"} id={`${id}-told`} role="status">
          {told}
        </span>
      ) : null}
    </Line>
  );
}
