// The currencies a site sells in, as a small grid: how amounts are converted where the owner wrote none.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { Body, Table } from "../../kit/Sheet";
import { OFFERED } from "../../kit/format/currencies";
import { grouped } from "../../kit/format/money";
import { AtTheCounter } from "./CurrenciesPaid";
import { PartRoom } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { ProductRooms } from "../room/StageRooms";
import { withValue, type CurrencyBody } from "../editing/bodies";
import { prices } from "../queries";
import { useRole } from "../room/role";
import { useDraft } from "../editing/useDraft";

export const Currencies = () => (
  <PartRoom rooms={<ProductRooms />} name="Currencies" kind="currencies">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure } = useRole(code);
  const listed = draft.body as unknown as CurrencyBody[];
  const store = (next: CurrencyBody[]) => draft.edit(next as unknown as Record<string, unknown>);
  const [base, ...others] = listed;
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const problem = (at: number, name: string) =>
    fieldProblem(error, `[${at}].${name}`) ?? fieldProblem(error, `${at}.${name}`);
  const sample = useQuery(prices(code, "")).data?.[0];
  const set = (at: number, name: string, text: string) =>
    store(listed.map((one, i) => (i === at ? withValue(one, name, text.trim()) : one)));
  if (!base) return null;
  return (
    <Body>
      <header>
        <h1>Currencies</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <p>
        Amounts are written in <strong>{base.code}</strong>, the base. In the others a price costs what you
        write at the product, in ink; where you write nothing, it is converted by this table.
      </p>
      {others.length ? (
        <div style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="How amounts are converted">
          <Table style={{ minWidth: 560 }}>
            <thead>
              <tr>
                <th scope="col">Currency</th>
                <th scope="col">for 1 {base.code}</th>
                <th scope="col">to the nearest</th>
                <th scope="col">then less</th>
                <th scope="col" className="amount">
                  {sample ? `${sample.words.split(",")[0] ?? ""}, so far` : ""}
                </th>
                <td />
              </tr>
            </thead>
            <tbody>
              {others.map((one, i) => {
                const at = i + 1;
                const shown = sample?.amounts.find((amount) => amount.currency === one.code);
                return (
                  <tr key={one.code}>
                    <th scope="row">{one.code}</th>
                    {(["rate", "round_to", "less"] as const).map((name) => (
                      <td key={name} style={{ width: 120 }}>
                        <Field
                          label={`${one.code}: ${LABELS[name]}`}
                          bare
                          decimal
                          placeholder={name === "rate" ? "no rate" : "nothing"}
                          value={one[name] ?? ""}
                          problem={problem(at, name)}
                          isDisabled={!mayConfigure}
                          onChange={(text) => set(at, name, text)}
                        />
                      </td>
                    ))}
                    <td className={shown?.converted ? "amount pencil" : "amount"}>
                      {shown ? `${one.code} ${grouped(shown.amount)}` : ""}
                      {shown?.converted ? <span className="hidden">, converted</span> : null}
                    </td>
                    <td>
                      {mayConfigure ? (
                        <Button look="plain" onPress={() => store(listed.filter((_, j) => j !== at))}>
                          Take out<span className="hidden"> {one.code}</span>
                        </Button>
                      ) : null}
                    </td>
                  </tr>
                );
              })}
            </tbody>
          </Table>
        </div>
      ) : (
        <p className="quiet">Nothing is sold in another currency yet.</p>
      )}
      {mayConfigure ? (
        <Adding
          taken={listed.map((one) => one.code)}
          base={listed[0]?.code ?? ""}
          onAdd={(code, rate) => store([...listed, { code, rate }])}
        />
      ) : null}
      <p className="quiet">
        The rate is your own, and only makes prices: 48.00 at 1.08, to the nearest 1, then less 0.05, is
        51.95. It is not asked for anywhere and never changes by itself.
      </p>
      <AtTheCounter code={code} sold={listed.map((one) => one.code)} />
    </Body>
  );
}

const LABELS = { rate: "units for one of the base", round_to: "to the nearest", less: "then less" };

/** A currency comes with its rate: one that nobody has typed would be a price that nobody has made. */
function Adding({
  taken,
  base,
  onAdd,
}: {
  taken: string[];
  base: string;
  onAdd: (code: string, rate: string) => void;
}) {
  const [code, setCode] = useState("");
  const [rate, setRate] = useState("");
  const names = OFFERED.filter(([one]) => !taken.includes(one));
  return (
    <div style={{ display: "flex", gap: 12, alignItems: "end", maxWidth: 620 }}>
      <div style={{ flex: 1 }}>
        <Choice
          label="Sell in another currency"
          value={code}
          options={[["", "Choose one"], ...names]}
          onChange={setCode}
        />
      </div>
      {code ? (
        <div style={{ width: 150 }}>
          <Field label={`${code} for one ${base}`} decimal value={rate} onChange={setRate} />
        </div>
      ) : null}
      <Button
        isDisabled={!code || !rate}
        onPress={() => {
          onAdd(code, rate);
          setCode("");
          setRate("");
        }}
      >
        Add the currency
      </Button>
    </div>
  );
}
