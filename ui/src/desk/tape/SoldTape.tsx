// Beside an order or a subscription: the tape of it as it was sold, or of its next charge. Nothing on it can be turned.
import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { Stamp } from "../../kit/Stamp";
import { soldTape } from "../queries";
import { useShownCode, type Sold } from "./soldAt";
import { Row } from "./Strip";
import { RollHead } from "./RollHead";
import { Roll, Strip } from "./tapeLook";

export function SoldTape({ site, sold, onClose }: { site: string; sold: Sold; onClose?: () => void }) {
  const shown = useShownCode();
  const code = sold.code ?? shown;
  return (
    <Roll>
      <RollHead title="Tape" onClose={onClose} />
      <div className="strips">
        {code ? (
          <Asked site={site} sold={sold} code={code} />
        ) : (
          <Said>
            {sold.kind === "orders"
              ? "Choose an order: here is what its buyer paid, as it was sold."
              : "Choose a subscription: here is what is charged next."}
          </Said>
        )}
      </div>
    </Roll>
  );
}

function Asked({ site, sold, code }: { site: string; sold: Sold; code: string }) {
  const asked = useQuery(soldTape(site, sold.kind, sold.mode, code));
  if (asked.isError) return <Said>There is nothing in this book by that code.</Said>;
  if (asked.data === undefined) return <Said>One moment …</Said>;
  if (asked.data === null) return <Said>Nothing is charged next by itself.</Said>;
  return <Strips tape={asked.data} />;
}

function Said({ children }: { children: string }) {
  return (
    <Strip aria-label="Empty tape">
      <p className="said">{children}</p>
    </Strip>
  );
}

function Strips({ tape }: { tape: Schemas["SoldTapeView"] }) {
  return (
    <Strip aria-label={`Tape for ${tape.name}`}>
      <div className="made-out">
        {tape.mode === "test" ? (
          <span className="stamp">
            <Stamp />
          </span>
        ) : null}
        made out to {tape.name}
      </div>
      <p className="about">{tape.about}</p>
      <ol>
        {tape.rows.map((row) => (
          <Row key={row.key} row={row} currency={tape.currency} was={undefined} />
        ))}
      </ol>
      {tape.notes.map((note) => (
        <p key={note} className="said">
          {note}
        </p>
      ))}
    </Strip>
  );
}
