import { fieldProblem, type Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Field } from "../kit/Field";
import { Sentence, SlotChoice, SlotMoney, SlotText } from "../kit/Sentence";
import { Body, Row, Section, Table } from "../kit/Sheet";
import { Title } from "../kit/Title";
import { ArchivePart } from "./ArchivePart";
import { SaveLine, SaveTrouble } from "./SaveLine";
import { idFor, KINDS, without, withValue, type PriceBody, type ProductBody } from "./bodies";
import { COUNTRIES } from "../kit/countries";
import { useSite } from "./queries";
import { useRole } from "./role";
import { useOnTape, useRoll } from "./tapeState";
import { useDraft } from "./useDraft";

/** One product: its names, what kind of thing it is, and its price in each currency. */
export function ProductEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure, mayWord } = useRole(code);
  const site = useSite(code).data;
  const body = draft.body as unknown as ProductBody;
  useOnTape("product", view.part.id, draft);
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const problem = (path: string) => fieldProblem(error, path);
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const setPrice = (at: number, price: PriceBody) =>
    set(
      "prices",
      body.prices.map((one, i) => (i === at ? price : one)),
    );
  const addPrice = () => {
    const last = body.prices.at(-1);
    if (last) {
      const taken = [...body.prices.map((one) => one.id), body.id];
      set("prices", [
        ...body.prices,
        { ...without(last, "default"), id: idFor(`${body.id}-${body.prices.length + 1}`, taken) },
      ]);
    }
  };
  return (
    <Body>
      <header>
        <Title
          label="Name for buyers"
          value={body.name}
          onChange={(value) => set("name", value)}
          problem={problem("name")}
          isDisabled={!mayWord}
        />
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <Sentence problems={[problem("kind"), problem("held_in"), problem("weight_g"), problem("counts_as")]}>
        <SlotChoice
          label="Kind"
          value={body.kind}
          options={KINDS}
          isDisabled={!mayConfigure}
          onChange={(kind) => draft.edit(asKind(body, kind, site?.country ?? "NL"))}
        />
        {body.kind === "goods" ? (
          <>
            , weighing{" "}
            <SlotText
              label="Weight in grams"
              value={body.weight_g === undefined ? "" : String(body.weight_g)}
              placeholder="?"
              inputMode="numeric"
              isDisabled={!mayConfigure}
              invalid={Boolean(problem("weight_g"))}
              onChange={(text) =>
                set("weight_g", text === "" ? undefined : /^\d+$/.test(text) ? Number(text) : text)
              }
            />{" "}
            g
          </>
        ) : null}
        {body.kind === "event" ? (
          <>
            , held in{" "}
            <SlotChoice
              label="Held in"
              value={body.held_in ?? ""}
              options={COUNTRIES}
              isDisabled={!mayConfigure}
              invalid={Boolean(problem("held_in"))}
              onChange={(country) => set("held_in", country)}
            />
          </>
        ) : null}
        , taxed as{" "}
        <SlotText
          label="Taxed as"
          value={body.counts_as ?? "standard"}
          isDisabled={!mayConfigure}
          invalid={Boolean(problem("counts_as"))}
          onChange={(value) => set("counts_as", value)}
        />
        .
      </Sentence>
      {body.prices.map((price, at) => (
        <PriceSection
          key={price.id}
          price={price}
          isDisabled={!mayConfigure}
          problem={(path) => problem(`prices[${at}].${path}`)}
          onChange={(next) => setPrice(at, next)}
          onRemove={
            body.prices.length > 1 && mayConfigure
              ? () =>
                  set(
                    "prices",
                    body.prices.filter((one) => one !== price),
                  )
              : undefined
          }
          saved={view.prices}
          currencies={site?.currencies ?? []}
        />
      ))}
      {mayConfigure ? (
        <div>
          <Button onPress={addPrice}>Add another price</Button>
        </div>
      ) : null}
      <Section aria-labelledby="words">
        <h2 id="words">What buyers read</h2>
        <Field
          label="Text for buyers"
          lines
          value={body.text ?? ""}
          onChange={(value) => set("text", value)}
          problem={problem("text")}
          isDisabled={!mayWord}
        />
        <Row>
          <Field
            label="Name at the desk"
            hint="Only you see it. Left empty, it is the name for buyers."
            value={body.owner_name ?? ""}
            onChange={(value) => set("owner_name", value)}
            problem={problem("owner_name")}
            isDisabled={!mayWord}
          />
        </Row>
      </Section>
      {mayConfigure ? (
        <ArchivePart
          code={code}
          part={view.part}
          name={body.owner_name ?? body.name}
          to={`/s/${code}/products`}
        />
      ) : null}
    </Body>
  );
}

/** An event is held somewhere, and only goods weigh something. */
function asKind(body: ProductBody, kind: ProductBody["kind"], home: string): ProductBody {
  const { held_in, weight_g, ...rest } = body;
  if (kind === "event") return { ...rest, kind, held_in: held_in ?? home };
  return kind === "goods" && weight_g !== undefined ? { ...rest, kind, weight_g } : { ...rest, kind };
}

interface PriceProps {
  price: PriceBody;
  saved: Schemas["PriceAmounts"][];
  currencies: string[];
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (price: PriceBody) => void;
  onRemove: (() => void) | undefined;
}

/** A price as a sentence, and what it is in every currency: the owner's own amount (ink) or a converted one (pencil). */
function PriceSection({ price, saved, currencies, isDisabled, problem, onChange, onRemove }: PriceProps) {
  const [base = "EUR", ...others] = currencies;
  const setAmount = (currency: string, text: string) =>
    onChange({ ...price, amount: withValue(price.amount, currency, text.trim()) });
  const setQuantity = (name: "min" | "max", text: string) => {
    const quantity = { min: 1, max: 1, ...price.quantity, [name]: /^\d+$/.test(text) ? Number(text) : text };
    onChange({ ...price, quantity });
  };
  return (
    <Section aria-label={`Price ${price.id}`}>
      <Sentence
        problems={[
          problem("amount"),
          problem(`amount.${base}`),
          problem("quantity"),
          problem("quantity.min"),
          problem("quantity.max"),
          problem("id"),
        ]}
      >
        Charge{" "}
        <SlotMoney
          label={`Amount in ${base}`}
          currency={base}
          value={price.amount[base] ?? ""}
          isDisabled={isDisabled}
          invalid={Boolean(problem(`amount.${base}`) ?? problem("amount"))}
          onChange={(text) => setAmount(base, text)}
        />{" "}
        once, from{" "}
        <SlotText
          label="Smallest quantity"
          inputMode="numeric"
          value={String(price.quantity?.min ?? 1)}
          isDisabled={isDisabled}
          invalid={Boolean(problem("quantity.min") ?? problem("quantity"))}
          onChange={(text) => setQuantity("min", text)}
        />{" "}
        to{" "}
        <SlotText
          label="Largest quantity"
          inputMode="numeric"
          value={String(price.quantity?.max ?? 1)}
          isDisabled={isDisabled}
          invalid={Boolean(problem("quantity.max") ?? problem("quantity"))}
          onChange={(text) => setQuantity("max", text)}
        />{" "}
        at a time.
        {onRemove ? (
          <Button look="plain" onPress={onRemove}>
            Take this price out
          </Button>
        ) : null}
      </Sentence>
      {others.length ? (
        <Table style={{ maxWidth: 460 }}>
          <thead>
            <tr>
              <th scope="col">Elsewhere</th>
              <th scope="col">Own amount</th>
              <th scope="col" className="amount">
                Buyers pay
              </th>
            </tr>
          </thead>
          <tbody>
            {others.map((currency) => (
              <tr key={currency}>
                <th scope="row">{currency}</th>
                <td style={{ width: 150, paddingRight: 24 }}>
                  <Field
                    label={`Own amount in ${currency}`}
                    bare
                    amount
                    placeholder="converted"
                    value={price.amount[currency] ?? ""}
                    onChange={(text) => setAmount(currency, text)}
                    problem={problem(`amount.${currency}`)}
                    isDisabled={isDisabled}
                  />
                </td>
                <BuyersPay price={price.id} currency={currency} saved={saved} />
              </tr>
            ))}
          </tbody>
        </Table>
      ) : null}
      <p className="quiet">
        Amounts include tax.{" "}
        {others.length
          ? `One left empty is converted from ${base} at the site’s own rate, and shown in pencil.`
          : ""}
      </p>
    </Section>
  );
}

interface BuyersPayProps {
  price: string;
  currency: string;
  saved: Schemas["PriceAmounts"][];
}

/** What a price is in a currency. The tape knows it of what is being typed; before it answers, it is as stored. */
function BuyersPay({ price, currency, saved }: BuyersPayProps) {
  const roll = useRoll();
  const shown = [...(roll.tapes?.prices ?? []), ...saved].find((one) => one.price === price);
  const found = shown?.amounts.find((one) => one.currency === currency);
  return (
    <td className={found?.converted ? "amount pencil" : "amount"}>
      {currency} {found?.amount}
      {found?.converted ? <span className="hidden">, converted</span> : null}
    </td>
  );
}
