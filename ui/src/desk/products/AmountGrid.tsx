// Amounts in the other currencies: the owner's own in ink, converted ones in pencil where nothing is typed.
import { memo, useCallback } from "react";
import { styled } from "styled-components";

import { Field } from "../../kit/fields/Field";
import { Section, Table } from "../../kit/Sheet";
import { grouped } from "../../kit/format/money";
import { withAmount, type Amounts, type ProductBody } from "../editing/bodies";
import { useRoll } from "../tape/tapeState";

const Grid = styled(Table)`
  width: auto;
  td {
    min-width: 104px;
    width: 128px;
    padding-right: 10px;
    vertical-align: middle;
  }
  tbody th {
    min-width: 110px;
    padding-right: 18px;
    vertical-align: middle;
  }
`;

const Scroll = styled.div`
  overflow-x: auto;
`;

type Whose = "price" | "start" | "variant";

interface GridRow {
  whose: Whose;
  id: string;
  name: string;
  amounts: Amounts;
  path: string;
}

interface Props {
  body: ProductBody;
  currencies: string[];
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  change: (how: (body: ProductBody) => ProductBody) => void;
}

export function AmountGrid({ body, currencies, isDisabled, problem, change }: Props) {
  const [base = "EUR", ...others] = currencies;
  const onAmount = useCallback(
    (whose: Whose, id: string, code: string, text: string) =>
      change((now) => withOwnAmount(now, whose, id, code, text)),
    [change],
  );
  const rows = others.length ? rowsOf(body) : [];
  if (!rows.length) return null;
  const wrong = rows.flatMap((row) => others.map((code) => problem(`${row.path}.${code}`))).find(Boolean);
  return (
    <Section aria-labelledby="grid">
      <h2 id="grid">In each currency</h2>
      <Scroll tabIndex={0} role="group" aria-labelledby="grid">
        <Grid>
          <thead>
            <tr>
              <th scope="col">Price</th>
              <th scope="col" className="amount" style={{ paddingRight: 14 }}>
                {base}
              </th>
              {others.map((code) => (
                <th key={code} scope="col" className="amount" style={{ paddingRight: 10 }}>
                  {code}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {rows.map((row) => (
              <tr key={`${row.whose} ${row.id}`}>
                <th scope="row">{row.name}</th>
                <td className="amount" style={{ paddingRight: 14 }}>
                  {grouped(row.amounts[base] ?? "")}
                </td>
                {others.map((code) => (
                  <td key={code}>
                    <Cell
                      whose={row.whose}
                      id={row.id}
                      name={row.name}
                      code={code}
                      value={row.amounts[code] ?? ""}
                      isDisabled={isDisabled}
                      isInvalid={Boolean(problem(`${row.path}.${code}`))}
                      onAmount={onAmount}
                    />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </Grid>
      </Scroll>
      {wrong ? (
        <p role="alert" style={{ color: "var(--madder)" }}>
          {wrong}
        </p>
      ) : null}
      <p className="quiet">
        What you type is your own amount, in ink. What stands in pencil is converted from {base} at the site’s
        own rate.
      </p>
    </Section>
  );
}

interface CellProps {
  whose: Whose;
  id: string;
  name: string;
  code: string;
  value: string;
  isDisabled: boolean;
  isInvalid: boolean;
  onAmount: (whose: Whose, id: string, code: string, text: string) => void;
}

/** One amount; only a price's own row knows what it converts to, from the tape. */
function Cell(props: CellProps) {
  const known = useRoll().tapes?.prices.find((one) => one.price === props.id);
  const found = known?.amounts.find((one) => one.currency === props.code);
  const converted = props.whose === "price" && found ? grouped(found.amount) : "converted";
  return <Typed {...props} converted={props.value ? "" : converted} />;
}

const Typed = memo(function Typed({
  whose,
  id,
  name,
  code,
  value,
  converted,
  isDisabled,
  isInvalid,
  onAmount,
}: CellProps & { converted: string }) {
  return (
    <Field
      label={`${name} in ${code}`}
      bare
      currency={code}
      placeholder={converted}
      value={value}
      isDisabled={isDisabled}
      isInvalid={isInvalid}
      onChange={(text) => onAmount(whose, id, code, text)}
    />
  );
});

function rowsOf(body: ProductBody): GridRow[] {
  const rows: GridRow[] = [];
  body.prices.forEach((price, at) => {
    const name = price.label ?? (body.prices.length > 1 ? price.id : body.name);
    if (price.amount)
      rows.push({ whose: "price", id: price.id, name, amounts: price.amount, path: `prices[${at}].amount` });
    if (price.start?.amount)
      rows.push({
        whose: "start",
        id: price.id,
        name: `${name}, first payment`,
        amounts: price.start.amount,
        path: `prices[${at}].start.amount`,
      });
  });
  body.variants?.forEach(({ id, name, amount }, at) => {
    if (amount) rows.push({ whose: "variant", id, name, amounts: amount, path: `variants[${at}].amount` });
  });
  return rows;
}

/** The product with one amount of a price, of its first payment or of a variant set, or taken out where it is empty. */
export function withOwnAmount(
  body: ProductBody,
  whose: Whose,
  id: string,
  code: string,
  text: string,
): ProductBody {
  if (whose === "variant") {
    const variants = body.variants?.map((one) =>
      one.id === id ? { ...one, amount: withAmount(one.amount, code, text) } : one,
    );
    return variants ? { ...body, variants } : body;
  }
  const prices = body.prices.map((price) => {
    if (price.id !== id) return price;
    if (whose === "price") return { ...price, amount: withAmount(price.amount, code, text) };
    return { ...price, start: { ...price.start, amount: withAmount(price.start?.amount, code, text) } };
  });
  return { ...body, prices };
}
