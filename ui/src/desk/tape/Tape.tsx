// The tape: what the thing being edited costs one buyer, line by line, on a strip of till roll.
import { Announced } from "./Announced";
import { OneStrip } from "./Strip";
import { RollHead } from "./RollHead";
import { Roll, Strip } from "./tapeLook";
import { useTape, useRoll } from "./tapeState";

/** The tapes side by side, the first made out as the address says. */
export function Tape({ onClose }: { onClose?: () => void }) {
  const { nextBuyer } = useTape();
  const roll = useRoll();
  const { tapes } = roll;
  return (
    <Roll>
      <RollHead title="Tape" onNext={nextBuyer} onClose={onClose} />
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
