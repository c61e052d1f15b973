// The tape: what the thing being edited costs one buyer, line by line, on a strip of till roll.
import { memo, useEffect, useRef, useState } from "react";
import { useLocation, useParams } from "react-router";
import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { grouped } from "../../kit/format/money";
import { SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Stamp } from "../../kit/Stamp";
import { COUNTRIES } from "../../kit/format/countries";
import type { TapeView, TapesView } from "./TapeRoll";
import { To } from "../room/places";
import { asSaved, CARDS, REAL, useRoll, useTape, type Card } from "./tapeState";

const Strip = styled.section`
  position: relative;
  flex: 0 0 286px;
  width: 286px;
  background: var(--tape);
  font: 13.5px/1.5 var(--mono);
  font-variant-numeric: tabular-nums;
  padding: 22px 0 26px;
  min-height: calc(100vh - 104px);
  filter: drop-shadow(0 0 0.6px var(--edge));
  /* the edge that was torn off above */
  clip-path: polygon(${torn()});
  .made-out {
    padding: 0 16px 12px;
    border-bottom: 1px dashed var(--hairline);
    line-height: 1.62;
  }
  .made-out select,
  .made-out input {
    line-height: 1.25;
  }
  .made-out > a {
    display: inline-block;
    padding: 3px 0 2px;
  }
  .stamp {
    float: right;
    margin: 2px -4px 0 8px;
  }
  .about {
    padding: 10px 16px 2px;
    color: var(--pencil);
  }
  ol {
    list-style: none;
    margin: 0;
    padding: 8px 0;
  }
  .row {
    display: grid;
    grid-template-columns: minmax(0, 1fr) auto;
    gap: 0 10px;
    width: 100%;
    padding: 2px 16px;
    text-align: left;
    border: 0;
    background: none;
    font: inherit;
    color: inherit;
  }
  button.row {
    cursor: pointer;
  }
  button.row:hover .label {
    text-decoration: underline dotted;
    text-underline-offset: 4px;
  }
  button.row:focus-visible {
    outline-offset: -2px;
  }
  .label {
    overflow-wrap: anywhere;
  }
  .amounts {
    text-align: right;
    white-space: nowrap;
  }
  s {
    color: var(--madder);
    margin-right: 7px;
  }
  .changed {
    background: var(--marked);
    padding: 2px 3px;
    margin: -2px -3px;
  }
  .discount .row {
    color: var(--madder);
  }
  li:not(.later) + .later {
    margin-top: 8px;
    padding-top: 8px;
    border-top: 1px dashed var(--hairline);
  }
  .due + .later {
    margin-top: 0;
    padding-top: 0;
    border-top: 0;
  }
  li:not(.later) + .later::before {
    content: "later";
    display: block;
    padding: 0 16px 2px;
    color: var(--pencil);
  }
  .tax .row,
  .fee .row {
    color: var(--pencil);
  }
  .due {
    margin: 8px 0;
    padding: 9px 0;
    border-block: 1px dashed var(--hairline);
    font-weight: 700;
    font-size: 15px;
  }
  .keep .row {
    font-weight: 600;
  }
  .why {
    margin: 3px 16px 7px;
    padding: 2px 0 2px 10px;
    border-left: 2px solid var(--hairline);
    font: 13.5px/1.45 var(--text);
    color: var(--pencil);
  }
  .said {
    padding: 10px 16px 0;
    font: 13.5px/1.45 var(--text);
    color: var(--pencil);
  }
  .said.wrong {
    color: var(--ink);
    border-left: 3px solid var(--madder);
    padding: 2px 12px;
    margin: 14px 16px 0 13px;
  }
  .feet {
    display: flex;
    flex-wrap: wrap;
    gap: 0 4px;
    padding: 10px 8px 0;
  }
  .feet button {
    font-family: var(--text);
    font-size: 13.5px;
  }
`;

function torn(): string {
  const teeth = 26;
  const top = Array.from(
    { length: teeth * 2 + 1 },
    (_, i) => `${((i * 100) / (teeth * 2)).toFixed(2)}% ${i % 2 ? 0 : 6}px`,
  );
  return [...top, "100% 100%", "0 100%"].join(", ");
}

const Roll = styled.div`
  > header {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
    padding: 0 0 4px 2px;
    min-height: 34px;
  }
  h2 {
    font: 650 15px/1.2 var(--text);
  }
  kbd {
    font: 12px/1 var(--mono);
    color: var(--pencil);
  }
  .strips {
    display: flex;
    gap: 12px;
    overflow-x: auto;
    padding-bottom: 30px;
  }
`;

/** The tapes side by side, the first made out as the address says. */
export function Tape({ onClose }: { onClose?: () => void }) {
  const { nextBuyer } = useTape();
  const roll = useRoll();
  const { tapes } = roll;
  return (
    <Roll>
      <header>
        <h2>Tape</h2>
        <span>
          <Button look="plain" onPress={nextBuyer}>
            Next buyer <kbd>Alt B</kbd>
          </Button>
          {onClose ? (
            <Button look="plain" onPress={onClose}>
              Close
            </Button>
          ) : null}
        </span>
      </header>
      {roll.away ? <p role="status">No connection. The tape is as it was, and asked for again.</p> : null}
      <div className="strips">
        {tapes ? (
          tapes.tapes.map((tape, i) => (
            <OneStrip key={`${i} ${tape.id}`} tapes={tapes} tape={tape} index={i} />
          ))
        ) : (
          <Strip aria-label="Empty tape">
            <p className="said">
              {tapes === null
                ? "Nothing is sold yet. With the first product the tape shows what a buyer pays."
                : (roll.problem ?? "One moment …")}
            </p>
          </Strip>
        )}
      </div>
      <Announced />
    </Roll>
  );
}

function OneStrip({ tapes, tape, index }: { tapes: TapesView; tape: TapeView; index: number }) {
  const { beside, change, main } = useTape();
  const { site: code = "" } = useParams();
  const roll = useRoll();
  const marks = roll.marks[`${index} ${tape.id}`] ?? {};
  const first = index === 0;
  const pin = () => change({ beside: [...beside, main.id].join(",") });
  const unpin = () => change({ beside: beside.filter((_, i) => i !== index - 1).join(",") });
  return (
    <Strip aria-label={`Tape for ${tape.name}`}>
      <div className="made-out">
        {tape.mode === "test" ? (
          <span className="stamp">
            <Stamp />
          </span>
        ) : null}
        <MadeOut
          id={tape.id}
          mode={tape.mode}
          country={tape.country}
          currency={tape.currency}
          currencies={tapes.prices[0]?.amounts.map((one) => one.currency).join(",") || tape.currency}
          business={tape.business}
          card={tape.card}
          on={tape.on}
          quantity={tapes.quantity}
          smallest={tapes.smallest}
          largest={tapes.largest}
          index={index}
        />
        {first ? <Tried {...tapes} /> : null}
        {first && tape.mode === "test" ? (
          <>
            <br />
            <To to={`/s/${code}/stand-in-buyers/${tape.id}`}>this buyer</To>
          </>
        ) : null}
      </div>
      <p className="about">
        {tapes.title}
        {tape.mode === "live" ? (tape.release ? `, release ${tape.release}` : "") : ", draft"}
      </p>
      {tapes.problems.length && tape.mode === "test" ? (
        <p className="said wrong">
          Not right yet: {tapes.problems[0]?.message}. The tape is as it was saved last.
        </p>
      ) : null}
      {first && roll.problem ? <p className="said wrong">{roll.problem}</p> : null}
      {tape.problems.map((problem) => (
        <p key={problem.path + problem.message} className="said wrong">
          {problem.message}. {problem.remedy}.
        </p>
      ))}
      <ol>
        {tape.rows.map((row) => (
          <Row key={row.key} row={row} currency={tape.currency} was={marks[row.key]} />
        ))}
      </ol>
      {tape.notes.map((note) => (
        <p key={note} className="said">
          {note}
        </p>
      ))}
      {tape.mode === "live" ? (
        <p className="said">Real buyers are not tried on: this only shows what they pay.</p>
      ) : null}
      <div className="feet">
        {first ? (
          <Button look="plain" onPress={pin} isDisabled={beside.length >= 5}>
            Keep beside
          </Button>
        ) : (
          <Button look="plain" onPress={unpin}>
            Take away
          </Button>
        )}
      </div>
    </Strip>
  );
}

type MadeOutProps = Pick<TapeView, "id" | "mode" | "country" | "currency" | "business" | "card" | "on"> &
  Pick<TapesView, "quantity" | "smallest" | "largest"> & {
    currencies: string;
    index: number;
  };

/** Whom it is made out to, changed in place. Drawn anew only when that changes: it holds every country there is. */
const MadeOut = memo(function MadeOut({ index, ...tape }: MadeOutProps) {
  const { buyers, change, beside, main } = useTape();
  const first = index === 0;
  const choose = (id: string) =>
    first
      ? change({ buyer: id, ...asSaved })
      : change({ beside: beside.map((one, i) => (i === index - 1 ? id : one)).join(",") });
  const options = [...buyers.map((one) => [one.id, one.name] as const), [REAL, "Real buyers"] as const];
  const currencies = tape.currencies.split(",").map((one) => [one, one] as const);
  const changed =
    first && [main.country, main.currency, main.business, main.card, main.on].some((one) => one !== null);
  return (
    <>
      made out to <SlotChoice label="Made out to" value={tape.id} options={options} onChange={choose} />
      <br />
      {first ? (
        <>
          from{" "}
          <SlotChoice
            label="Country"
            value={tape.country}
            options={COUNTRIES}
            onChange={(country) => change({ country })}
          />
          , a{" "}
          <SlotChoice
            label="Consumer or business"
            value={tape.business ? "yes" : "no"}
            options={[
              ["no", "consumer"],
              ["yes", "business"],
            ]}
            onChange={(business) => change({ business })}
          />
          <br />
          in{" "}
          <SlotChoice
            label="Currency"
            value={tape.currency}
            options={currencies}
            onChange={(currency) => change({ currency })}
          />
          {tape.mode === "test" ? (
            <>
              , card{" "}
              <SlotChoice<Card>
                label="Card"
                value={tape.card}
                options={CARDS}
                onChange={(card) => change({ card })}
              />
            </>
          ) : null}
          <br />
          on <SlotText label="Date" type="date" value={tape.on} onChange={(on) => change({ on })} />
          {tape.largest > 1 ? (
            <>
              , <Quantity quantity={tape.quantity} smallest={tape.smallest} largest={tape.largest} />
            </>
          ) : null}
          {changed ? (
            <Button look="plain" onPress={() => change(asSaved)}>
              as kept
            </Button>
          ) : null}
        </>
      ) : (
        <>
          {tape.country}, {tape.business ? "business" : "consumer"}, {tape.currency}
          <br />
          on {tape.on}
        </>
      )}
    </>
  );
});

/** What is tried: one of several prices, a variant, a coupon. */
function Tried({
  price,
  choices,
  variant,
  variants,
  coupon,
  coupons,
}: Pick<TapesView, "price" | "choices" | "variant" | "variants" | "coupon" | "coupons">) {
  const { change } = useTape();
  const { pathname } = useLocation();
  const ofCoupon = pathname.split("/")[3] === "coupons";
  return (
    <>
      {choices.length > 1 ? (
        <>
          <br />
          at{" "}
          <SlotChoice
            label="Price"
            value={price}
            options={choices.map((one) => [one.price, one.words] as const)}
            onChange={(name) => change({ price: name === choices[0]?.price ? null : name })}
          />
        </>
      ) : null}
      {variants.length ? (
        <>
          <br />
          in{" "}
          <SlotChoice
            label="Variant"
            value={variant ?? ""}
            options={variants.map((one) => [one.id, one.name] as const)}
            onChange={(name) => change({ variant: name === variants[0]?.id ? null : name })}
          />
        </>
      ) : null}
      {coupons.length && !ofCoupon ? (
        <>
          <br />
          with{" "}
          <SlotChoice
            label="Coupon"
            value={coupon ?? ""}
            options={[["", "no coupon"], ...coupons.map((one) => [one.id, one.name] as const)]}
            onChange={(name) => change({ coupon: name || null })}
          />
        </>
      ) : null}
    </>
  );
}

function Quantity({ quantity, smallest, largest }: Pick<TapesView, "quantity" | "smallest" | "largest">) {
  const { change } = useTape();
  const [typed, setTyped] = useState<string>();
  return (
    <>
      <SlotText
        label="Quantity"
        inputMode="numeric"
        value={typed ?? String(quantity)}
        onChange={(text) => {
          const count = Number(text);
          const fits = Number.isInteger(count) && count >= smallest && count <= largest;
          setTyped(fits ? undefined : text);
          if (fits) change({ quantity: count === smallest ? null : text });
        }}
        invalid={typed !== undefined && typed !== ""}
      />{" "}
      of it
    </>
  );
}

function Row({
  row,
  currency,
  was,
}: {
  row: TapeView["rows"][number];
  currency: string;
  was: string | undefined;
}) {
  const [open, setOpen] = useState(false);
  const amounts = (
    <span className="amounts">
      {was ? <s aria-label={`was ${was}`}>{grouped(was)}</s> : null}
      <span className={was ? "changed" : ""} data-row={row.key}>
        {row.kind === "due" ? `${currency} ` : ""}
        {grouped(row.amount)}
      </span>
    </span>
  );
  if (row.reasons.length === 0) {
    return (
      <li className={row.kind}>
        <span className="row">
          <span className="label">{row.label}</span>
          {amounts}
        </span>
      </li>
    );
  }
  return (
    <li className={row.kind}>
      <button type="button" className="row" aria-expanded={open} onClick={() => setOpen(!open)}>
        <span className="label">{row.label}</span>
        {amounts}
      </button>
      {open ? (
        <div className="why">
          {row.reasons.map((reason) => (
            <p key={reason}>{reason}</p>
          ))}
        </div>
      ) : null}
    </li>
  );
}

const PAUSE_BEFORE_SAYING = 900;

/** Tells assistive technology what an edit has done to the amount, once one stops typing. */
function Announced() {
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
