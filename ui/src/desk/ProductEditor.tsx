import { useCallback } from "react";

import { api, data, fieldProblem, type Schemas } from "../api/client";
import { Choice } from "../kit/Choice";
import { Field } from "../kit/Field";
import { Body, Row, Section, Table } from "../kit/Sheet";
import { SaveLine, SaveTrouble } from "./SaveLine";
import { KINDS, withValue, type PriceBody, type ProductBody } from "./bodies";
import { products } from "./queries";
import { useDraft } from "./useDraft";

interface Props {
  code: string;
  part: Schemas["Part"];
  prices: Schemas["PriceAmounts"][];
}

/** One product: its names, what kind of thing it is, and its price in each currency. */
export function ProductEditor({ code, part, prices }: Props) {
  const save = useCallback(
    (seen: number, body: Record<string, unknown>) =>
      data(
        api.PUT("/desk/api/sites/{site}/products/{part_id}", {
          params: { path: { site: code, part_id: part.id } },
          body: { seen, body },
        }),
      ),
    [code, part.id],
  );
  const draft = useDraft(part, save, products(code).queryKey);
  const body = draft.body as unknown as ProductBody;
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const setPrice = (index: number, price: PriceBody) =>
    set(
      "prices",
      body.prices.map((old, i) => (i === index ? price : old)),
    );
  return (
    <Body>
      <header>
        <h1>{body.owner_name ?? (body.name || "Unnamed")}</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble state={draft.state} keepMine={draft.keepMine} takeTheirs={draft.takeTheirs} />
      {body.prices.map((price, index) => (
        <PriceSection
          key={price.id}
          price={price}
          shown={prices.find((one) => one.price === price.id)}
          problem={(path) => fieldProblem(error, `prices[${index}].${path}`)}
          onChange={(next) => setPrice(index, next)}
        />
      ))}
      <Section aria-labelledby="what">
        <h2 id="what">What it is</h2>
        <Row>
          <Field
            label="Name for buyers"
            value={body.name}
            onChange={(value) => set("name", value)}
            problem={fieldProblem(error, "name")}
          />
          <Field
            label="Name at the desk"
            hint="Only you see it. Leave it empty to use the name for buyers."
            value={body.owner_name ?? ""}
            onChange={(value) => set("owner_name", value)}
            problem={fieldProblem(error, "owner_name")}
          />
        </Row>
        <Field
          label="Text for buyers"
          lines
          value={body.text ?? ""}
          onChange={(value) => set("text", value)}
          problem={fieldProblem(error, "text")}
        />
        <Row>
          <Choice
            label="Kind"
            value={body.kind}
            options={KINDS}
            onChange={(kind) => draft.edit(asKind(body, kind))}
            problem={fieldProblem(error, "kind") ?? fieldProblem(error, "held_in")}
          />
          <Field
            label="Taxed as"
            hint="A row of the tax tables: standard, book, ebook …"
            value={body.counts_as ?? "standard"}
            onChange={(value) => set("counts_as", value)}
            problem={fieldProblem(error, "counts_as")}
          />
        </Row>
      </Section>
    </Body>
  );
}

/** An event is held somewhere, nothing else is. */
function asKind(body: ProductBody, kind: ProductBody["kind"]): ProductBody {
  const { held_in, ...rest } = body;
  return kind === "event" ? { ...rest, kind, held_in: held_in ?? "NL" } : { ...rest, kind };
}

interface PriceProps {
  price: PriceBody;
  shown: Schemas["PriceAmounts"] | undefined;
  problem: (path: string) => string | undefined;
  onChange: (price: PriceBody) => void;
}

/** A price: what is charged once, in the owner's own amounts (ink) or converted from the base (pencil). */
function PriceSection({ price, shown, problem, onChange }: PriceProps) {
  const amounts = shown?.amounts ?? [];
  const base = amounts[0]?.currency ?? "EUR";
  const setAmount = (currency: string, text: string) =>
    onChange({ ...price, amount: withValue(price.amount, currency, text.trim()) });
  return (
    <Section aria-labelledby={`price-${price.id}`}>
      <h2 id={`price-${price.id}`}>
        Charge {base} {price.amount[base] ?? "…"} once
      </h2>
      <Table style={{ maxWidth: 430 }}>
        <thead>
          <tr>
            <th scope="col">Currency</th>
            <th scope="col">Own amount</th>
            <th scope="col" className="amount">
              Buyers pay
            </th>
          </tr>
        </thead>
        <tbody>
          {amounts.map(({ currency, amount, converted }) => (
            <tr key={currency}>
              <th scope="row">{currency}</th>
              <td style={{ width: 150, paddingRight: 24 }}>
                <Field
                  label={`Own amount in ${currency}`}
                  bare
                  amount
                  placeholder={converted ? "converted" : ""}
                  value={price.amount[currency] ?? ""}
                  onChange={(text) => setAmount(currency, text)}
                  problem={
                    problem(`amount.${currency}`) ?? (currency === base ? problem("amount") : undefined)
                  }
                />
              </td>
              <td className={converted ? "amount pencil" : "amount"}>
                {currency} {amount}
                {converted ? <span className="hidden">, converted</span> : null}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      <p className="quiet">
        Amounts include tax. An empty one is converted from {base} at the site&rsquo;s own rate, and shown in
        pencil.
      </p>
    </Section>
  );
}
