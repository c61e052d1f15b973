// One strip of tape, with its reasons.
import { useState } from "react";
import { useParams } from "react-router";
import { wholeSentence } from "../../api/client";
import { Button } from "../../kit/Button";
import { grouped } from "../../kit/format/money";
import { Stamp } from "../../kit/Stamp";
import { Sourced } from "../../kit/Sourced";
import { To } from "../room/places";
import { MadeOut, Tried } from "./MadeOut";
import { Strip } from "./tapeLook";
import type { TapesView, TapeView } from "./TapeRoll";
import { useTape, useRoll } from "./tapeState";

export function OneStrip({ tapes, tape, index }: { tapes: TapesView; tape: TapeView; index: number }) {
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
          way={tape.way}
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
          Not right yet. {wholeSentence(tapes.problems[0]?.message ?? "")}. The tape is as it was saved last.
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

export function Row({
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
            <p key={reason}>
              <Sourced>{reason}</Sourced>
            </p>
          ))}
        </div>
      ) : null}
    </li>
  );
}
