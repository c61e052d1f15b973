// Where several things may be taken: what is offered, and what has been put together.
import { useId, useState, type ReactNode } from "react";
import { styled } from "styled-components";

import { useTyped } from "../kit/fields/typed";
import { money } from "../kit/format/money";
import { amountIn, isShort, type Line, type Thing } from "./basket";
import type { Counter } from "./boot";
import { daysToGiveBack, type Price } from "./chosen";
import { Before, Few, Stepper } from "./fieldsOfChoice";
import { named } from "./Group";
import { Framed, Aside, TextButton } from "./look";
import type { UnderWay } from "./checkout/useCheckout";

const List = styled.ul`
  margin: 0;
  padding: 0;
  list-style: none;
  border-top: 1px solid var(--rule);
  > li {
    display: grid;
    grid-template-columns: 64px minmax(0, 1fr);
    gap: 6px 14px;
    padding: 14px 0;
    border-bottom: 1px solid var(--rule);
  }
  > li.bare {
    grid-template-columns: minmax(0, 1fr);
  }
  img {
    width: 64px;
    height: 64px;
    object-fit: cover;
    border: 1px solid var(--rule);
  }
  ${named}
  .row {
    display: flex;
    flex-wrap: wrap;
    align-items: center;
    gap: 8px 14px;
    margin-top: 8px;
  }
  select {
    flex: 1;
    min-width: 120px;
    min-height: 46px;
    padding: 0 10px;
    background: #fff;
    border: 1px solid var(--edge);
    border-radius: 6px;
  }
  .problem {
    display: block;
    font-size: 14px;
    color: var(--wrong);
  }
`;

const Bar = styled.a`
  position: sticky;
  bottom: 0;
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 2px 14px;
  margin: 0 -20px;
  padding: 12px 20px;
  border-top: 3px solid var(--brand);
  background: var(--ground);
  font-variant-numeric: tabular-nums;
  text-decoration: none;
  .on {
    font-weight: 600;
    text-decoration: underline;
    text-underline-offset: 3px;
  }
`;

const Add = styled.button`
  min-height: 46px;
  padding: 0 18px;
  border: 1px solid var(--ink);
  border-radius: 6px;
  background: #fff;
  font-weight: 600;
  cursor: pointer;
  &:disabled {
    color: var(--soft);
    border: 1px dashed var(--edge);
    cursor: default;
  }
`;

/** What is offered, what has been taken, and what could not be. */
export function Basket({ checkout }: { checkout: UnderWay }) {
  const { counter, lines, basket } = checkout;
  const listed = counter.listed.flatMap((id) => counter.prices.find((one) => one.id === id) ?? []);
  const refused = basket.problem?.errors[0]?.message ?? basket.problem?.detail;
  return (
    <>
      {listed.length ? (
        <section aria-labelledby="offered">
          <h2 id="offered" className="hidden">
            What there is
          </h2>
          <List>
            {listed.map((price) => (
              <Offer key={price.id} price={price} put={basket.put} lines={lines} />
            ))}
          </List>
          {lines.length ? <Held checkout={checkout} /> : null}
        </section>
      ) : null}
      {basket.unsold.length || refused ? (
        <Aside className="wrong" role="status">
          <strong>{refused ? "That did not go into your basket." : "Not everything could be taken."}</strong>
          {[...(refused ? [refused] : []), ...basket.unsold].map((text) => (
            <div key={text}>{text}</div>
          ))}
          <TextButton type="button" onClick={basket.wellKnown}>
            I have read it
          </TextButton>
        </Aside>
      ) : null}
      <section aria-labelledby="taken">
        <h2 id="taken">Your basket</h2>
        {lines.length ? (
          <List>
            {lines.map((line, i) => (
              <Taken
                key={`${line.price.id} ${line.thing.variant}`}
                counter={counter}
                line={line}
                put={basket.put}
                problem={problemOf(checkout, i)}
              />
            ))}
          </List>
        ) : (
          <p className="lead" role="status">
            {listed.length ? "Nothing yet. Add what you would like." : "Nothing is in it yet."}{" "}
            {listed.length ? null : <a href={counter.site_url}>Back to {counter.site_name}</a>}
          </p>
        )}
        {basket.elsewhere ? (
          <p className="lead">
            {basket.elsewhere === 1 ? "One more thing waits" : `${basket.elsewhere} more things wait`} in your
            basket. It is sold at another place of this website, and not part of this order.
          </p>
        ) : null}
      </section>
    </>
  );
}

/** How much has been taken so far, in view for as long as one chooses. */
function Held({ checkout: { lines, quote } }: { checkout: UnderWay }) {
  const count = lines.reduce((sum, line) => sum + line.thing.quantity, 0);
  return (
    <Bar href="#taken">
      <span>
        {count === 1 ? "1 thing" : `${count} things`} in your basket
        {quote ? `, ${money(quote.currency, quote.due_today)}` : ""}
      </span>
      <span className="on">See it, and pay</span>
    </Bar>
  );
}

/** What is wrong with a line, as the quote or the answer to Pay says. */
function problemOf({ wrong }: UnderWay, i: number): string | undefined {
  const parts = ["price", "variant", "quantity", "chosen"];
  return parts.map((part) => wrong(`items[${i}].${part}`)).find(Boolean);
}

function Pictured({ price, thing, children }: { price: Price; thing?: Thing; children: ReactNode }) {
  const picture = price.variants.find((one) => one.id === thing?.variant)?.picture ?? price.picture;
  return (
    <li className={picture ? undefined : "bare"}>
      {picture ? <img src={picture.address} alt="" /> : null}
      <div>{children}</div>
    </li>
  );
}

/** Something that can be taken. */
function Offer({ price, lines, put }: { price: Price; lines: Line[]; put: (thing: Thing) => void }) {
  const id = useId();
  const first = price.variants.find((one) => !one.sold_out) ?? price.variants[0];
  const [chosen, setChosen] = useState(first?.id ?? null);
  const variant = price.variants.find((one) => one.id === chosen);
  const there = lines.find((one) => one.price.id === price.id && one.thing.variant === chosen);
  const full = there !== undefined && there.thing.quantity >= price.largest;
  const label = price.label === price.product ? price.product : `${price.product}: ${price.label}`;
  const add = () =>
    put({
      price: price.id,
      quantity: there ? there.thing.quantity + 1 : price.smallest,
      variant: chosen,
      chosen: there?.thing.chosen ?? null,
      chosen_in: there?.thing.chosen_in ?? null,
    });
  return (
    <Pictured price={price} thing={variant ? thingOf(price, variant.id) : undefined}>
      <div className="name" id={id}>
        {label}
      </div>
      <div className="words">{price.words}</div>
      <Before price={price} />
      {price.saving ? <div>{price.saving}</div> : null}
      {price.about ? <div className="soft">{price.about}</div> : null}
      {price.text ? <div className="soft">{price.text}</div> : null}
      {price.refund_days ? <div className="soft">{daysToGiveBack(price.refund_days)}</div> : null}
      <div className="row">
        {price.variants.length ? (
          <select
            aria-label={`Which one: ${label}`}
            value={chosen ?? ""}
            onChange={(event) => setChosen(event.target.value)}
          >
            {price.variants.map((one) => (
              <option key={one.id} value={one.id} disabled={one.sold_out}>
                {one.name}
                {one.sold_out ? ", sold out" : ""}
              </option>
            ))}
          </select>
        ) : null}
        <Add
          type="button"
          aria-describedby={id}
          disabled={price.sold_out || variant?.sold_out || full}
          onClick={add}
        >
          {price.sold_out ? "Sold out" : there ? (full ? "In your basket" : "Add another") : "Add"}
        </Add>
        <Few left={variant ? variant.left : price.left} soldOut={price.sold_out} />
      </div>
    </Pictured>
  );
}

const thingOf = (price: Price, variant: string): Thing => ({
  ...{ price: price.id, quantity: 1, variant, chosen: null, chosen_in: null },
});

/** Something that was taken: how many, and out again. */
function Taken({
  counter,
  line,
  put,
  problem,
}: {
  counter: Counter;
  line: Line;
  put: (thing: Thing) => void;
  problem: string | undefined;
}) {
  const { thing, price, variant } = line;
  const name = variant ? `${price.product}, ${variant.name}` : price.product;
  const of = variant ?? price;
  const short = !isShort(line)
    ? undefined
    : price.sold_out || of.sold_out
      ? "Sold out. Take it out to pay for the rest."
      : `Only ${of.left} left.`;
  return (
    <Pictured price={price} thing={thing}>
      <div className="name">{name}</div>
      <div className="words">
        {price.label === price.product ? price.words : `${price.label}, ${price.words}`}
      </div>
      {price.suggested !== null ? (
        <Amount key={counter.currency} counter={counter} line={line} name={name} put={put} />
      ) : null}
      <div className="row">
        {price.largest > price.smallest ? (
          <Stepper
            of={name}
            value={thing.quantity}
            smallest={price.smallest}
            largest={price.largest}
            wrong={Boolean(problem ?? short)}
            onChange={(quantity) => put({ ...thing, quantity })}
          />
        ) : null}
        <TextButton
          type="button"
          aria-label={`Take out ${name}`}
          onClick={() => put({ ...thing, quantity: 0 })}
        >
          Take out
        </TextButton>
      </div>
      {(problem ?? short) ? (
        <span className="problem" role="status">
          {problem ?? short}
        </span>
      ) : null}
    </Pictured>
  );
}

function Amount({
  counter,
  line,
  name,
  put,
}: {
  counter: Counter;
  line: Line;
  name: string;
  put: (thing: Thing) => void;
}) {
  const id = useId();
  const { currency } = counter;
  const typed = useTyped(
    amountIn(counter, line) ?? "",
    (chosen) => put({ ...line.thing, chosen, chosen_in: currency }),
    { currency },
  );
  return (
    <Framed>
      <label htmlFor={id}>
        Amount in {currency}
        <span className="hidden"> for {name}</span>
      </label>
      <input
        id={id}
        inputMode="decimal"
        autoComplete="off"
        value={typed.value}
        onBlur={typed.onBlur}
        onChange={(event) => typed.onChange(event.target.value)}
      />
      {typed.told}
    </Framed>
  );
}
