// The fields in which a price, a variant, a quantity and an amount are chosen.
import { useId } from "react";
import { styled } from "styled-components";
import type { Counter } from "./boot";
import { amountOf, type Price, type Variant, quantityOf } from "./chosen";
import { Group, WayList } from "./Group";
import type { Chosen } from "./kept";
import { Framed } from "./look";
import { useTyped } from "../kit/fields/typed";

const Kinds = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  label {
    position: relative;
    min-height: 46px;
    padding: 8px 14px;
    display: flex;
    align-items: center;
    gap: 10px;
    border: 1px solid var(--edge);
    border-radius: 6px;
    background: #fff;
    cursor: pointer;
  }
  label:has(:checked) {
    border-color: var(--ink);
    box-shadow: inset 0 -4px 0 var(--brand);
    font-weight: 600;
  }
  label:has(:focus-visible) {
    outline: 3px solid var(--brand);
    outline-offset: 2px;
  }
  label:has(:disabled) {
    color: var(--soft);
    border-style: dashed;
    cursor: default;
  }
  input {
    position: absolute;
    opacity: 0;
  }
  img {
    width: 44px;
    height: 44px;
    object-fit: cover;
    margin: -4px 0 -4px -8px;
  }
`;

const Count = styled.div`
  display: flex;
  align-items: stretch;
  width: max-content;
  button {
    width: 46px;
    border: 1px solid var(--edge);
    background: #fff;
    cursor: pointer;
    font-size: 20px;
  }
  button:first-child {
    border-radius: 6px 0 0 6px;
  }
  button:last-child {
    border-radius: 0 6px 6px 0;
  }
  button:disabled {
    color: var(--soft);
    cursor: default;
  }
  input {
    width: 72px;
    min-height: 46px;
    padding: 0 8px;
    text-align: center;
    background: #fff;
    border: 1px solid var(--edge);
    border-width: 1px 0;
    border-radius: 0;
    font-variant-numeric: tabular-nums;
  }
`;

export interface Props {
  counter: Counter;
  chosen: Chosen;
  problem: (field: string) => string | undefined;
  onChange: (part: Partial<Chosen>) => void;
}

export const Shown = styled.img`
  display: block;
  width: 100%;
  aspect-ratio: 2 / 1; /* its place is kept before it is there: nothing may move under a finger */
  object-fit: cover;
  background: var(--rule);
`;

/** What a price cost before it came down: nothing else is ever struck through. */
export function Before({ price }: { price: Price }) {
  if (!price.before) return null;
  return (
    <span className="soft">
      Before: <s>{price.before}</s>, our lowest price in the 30 days before it came down.
    </span>
  );
}

export function Few({ left, soldOut }: { left: number | null; soldOut: boolean }) {
  if (left === null || left === 0 || soldOut) return null;
  return <p className="lead">{left === 1 ? "The last one." : `${left} left.`}</p>;
}

export function PriceField({
  counter,
  price,
  problem,
  onChange,
}: {
  counter: Counter;
  price: Price;
  problem: string | undefined;
  onChange: (part: Partial<Chosen>) => void;
}) {
  return (
    <Group>
      <legend>Choose how to pay</legend>
      <WayList>
        {counter.prices.map((one) => (
          <label key={one.id}>
            <input
              type="radio"
              name="price"
              checked={one.id === price.id}
              disabled={one.sold_out}
              onChange={() => onChange({ price: one.id })}
            />
            <span>
              <span className="name">{one.label}</span>
              <br />
              <span className="words">{one.sold_out ? "sold out" : one.words}</span>
              {[one.saving, one.text].map((text) =>
                text ? (
                  <span className="soft" key={text}>
                    <br />
                    {text}
                  </span>
                ) : null,
              )}
              {one.before ? <br /> : null}
              <Before price={one} />
            </span>
          </label>
        ))}
      </WayList>
      {problem ? <span className="problem">{problem}</span> : null}
    </Group>
  );
}

export function VariantField({
  price,
  variant,
  problem,
  onChange,
}: {
  price: Price;
  variant: Variant | undefined;
  problem: string | undefined;
  onChange: (part: Partial<Chosen>) => void;
}) {
  return (
    <Group>
      <legend>Which one</legend>
      <Kinds>
        {price.variants.map((one) => (
          <label key={one.id}>
            <input
              type="radio"
              name="variant"
              checked={one.id === variant?.id}
              disabled={one.sold_out}
              onChange={() => onChange({ variant: one.id })}
            />
            {one.picture ? <img src={one.picture.address} alt="" /> : null}
            <span>
              {one.name}
              {one.sold_out ? ", sold out" : ""}
            </span>
          </label>
        ))}
      </Kinds>
      {problem ? <span className="problem">{problem}</span> : null}
    </Group>
  );
}

/** How many, by buttons or typed. */
export function Stepper({
  id,
  of,
  value,
  smallest,
  largest,
  wrong,
  onChange,
}: {
  id?: string;
  /** Of what, where no label stands beside it. */
  of?: string;
  value: number;
  smallest: number;
  largest: number;
  wrong: boolean;
  onChange: (count: number) => void;
}) {
  const to = (count: number) => onChange(Math.min(largest, Math.max(smallest, count)));
  const named = of ? `: ${of}` : "";
  return (
    <Count>
      <button
        type="button"
        aria-label={`One fewer${named}`}
        disabled={value <= smallest}
        onClick={() => to(value - 1)}
      >
        −
      </button>
      <input
        id={id}
        name="quantity"
        inputMode="numeric"
        autoComplete="off"
        value={value}
        aria-label={of ? `How many: ${of}` : undefined}
        aria-invalid={wrong}
        onChange={(event) => {
          const typed = Number.parseInt(event.target.value.replace(/\D/g, ""), 10);
          if (!Number.isNaN(typed)) to(typed);
        }}
        onFocus={(event) => event.target.select()}
      />
      <button
        type="button"
        aria-label={`One more${named}`}
        disabled={value >= largest}
        onClick={() => to(value + 1)}
      >
        +
      </button>
    </Count>
  );
}

export function QuantityField({
  price,
  chosen,
  problem,
  onChange,
}: {
  price: Price;
  chosen: Chosen;
  problem: string | undefined;
  onChange: (part: Partial<Chosen>) => void;
}) {
  const id = useId();
  return (
    <Framed>
      <label htmlFor={id}>How many</label>
      <Stepper
        id={id}
        value={quantityOf(price, chosen)}
        smallest={price.smallest}
        largest={price.largest}
        wrong={Boolean(problem)}
        onChange={(quantity) => onChange({ quantity })}
      />
      {problem ? <span className="problem">{problem}</span> : null}
    </Framed>
  );
}

export function AmountField({
  price,
  counter,
  chosen,
  problem,
  onChange,
}: {
  price: Price;
  counter: Counter;
  chosen: Chosen;
  problem: string | undefined;
  onChange: (part: Partial<Chosen>) => void;
}) {
  const id = useId();
  const about = { currency: counter.currency };
  const shown = amountOf(counter, price, chosen) ?? "";
  const typed = useTyped(shown, (to) => onChange({ chosen: to, chosen_in: counter.currency }), about);
  return (
    <Framed>
      <label htmlFor={id}>Amount in {counter.currency}</label>
      <input
        id={id}
        name="chosen"
        inputMode="decimal"
        autoComplete="off"
        value={typed.value}
        onBlur={typed.onBlur}
        aria-invalid={Boolean(problem)}
        aria-describedby={`${id}-about`}
        onChange={(event) => typed.onChange(event.target.value)}
      />
      {typed.told}
      <span className={problem ? "problem" : "lead"} id={`${id}-about`}>
        {problem ?? `You choose what you pay: ${price.words}.`}
      </span>
    </Framed>
  );
}
