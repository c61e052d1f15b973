import { useCallback } from "react";

import { fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Body, Row, Section } from "../../kit/Sheet";
import { Title } from "../../kit/fields/Title";
import { AmountGrid } from "./AmountGrid";
import { ArchivePart } from "../editing/ArchivePart";
import { Categories } from "./Categories";
import { Arrange } from "../editing/Arrange";
import { Contents } from "./Contents";
import { PictureField } from "./PictureField";
import { Ladder } from "./Ladder";
import { PriceEditor } from "./PriceEditor";
import { Availability, KindSentence, Returns } from "./ProductSentences";
import { SoldAt } from "./SoldAt";
import { Variants } from "./Variants";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import {
  idFor,
  without,
  withPrices,
  withValue,
  type PictureBody,
  type PriceBody,
  type ProductBody,
} from "../editing/bodies";
import { useSite } from "../queries";
import { useRole } from "../room/role";
import { useOnTape } from "../tape/tapeState";
import { useDraft } from "../editing/useDraft";

/** One product: its names, what kind of thing it is, its prices, variants and stock, and what it holds. */
export function ProductEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure, mayWord } = useRole(code);
  const site = useSite(code).data;
  const body = draft.body as unknown as ProductBody;
  const stored = view.part.body as ProductBody;
  useOnTape("product", view.part.id, draft);
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const { edit, snapshot } = draft;
  // What hangs on these is drawn anew only when it changes itself, and not with every key pressed elsewhere.
  const problem = useCallback((path: string) => fieldProblem(error, path), [error]);
  const change = useCallback(
    (how: (now: ProductBody) => ProductBody) => edit(how(snapshot().body as unknown as ProductBody)),
    [edit, snapshot],
  );
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const base = site?.currencies[0] ?? "EUR";
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
      <KindSentence
        body={body}
        home={site?.country ?? "NL"}
        isDisabled={!mayConfigure}
        problem={problem}
        onChange={draft.edit}
      />
      <Availability body={body} isDisabled={!mayConfigure} problem={problem} onChange={draft.edit} />
      <Returns body={body} isDisabled={!mayConfigure} problem={problem} onChange={draft.edit} />
      <Prices
        body={body}
        base={base}
        mayConfigure={mayConfigure}
        mayWord={mayWord}
        problem={problem}
        onChange={draft.edit}
      />
      <Ladder body={body} isDisabled={!mayConfigure} problem={problem} onChange={draft.edit} />
      <AmountGrid
        body={body}
        currencies={site?.currencies ?? []}
        isDisabled={!mayConfigure}
        problem={problem}
        change={change}
      />
      <Variants
        code={code}
        product={body.id}
        name={body.name}
        variants={body.variants}
        stock={body.stock}
        base={base}
        mayConfigure={mayConfigure}
        mayWord={mayWord}
        problem={problem}
        change={change}
      />
      <Contents
        code={code}
        contents={body.contains}
        isDisabled={!mayConfigure}
        problem={problem}
        change={change}
      />
      <SoldAt code={code} name={stored.name} offered={offeredOf(stored)} mayConfigure={mayConfigure} />
      <Words body={body} mayConfigure={mayConfigure} mayWord={mayWord} problem={problem} change={change} />
      {mayConfigure ? (
        <>
          <Arrange code={code} kind="product" id={view.part.id} to={`/s/${code}/products`} />
          <ArchivePart
            code={code}
            part={view.part}
            name={body.owner_name ?? body.name}
            to={`/s/${code}/products`}
          />
        </>
      ) : null}
    </Body>
  );
}

const offeredOf = (body: ProductBody) =>
  body.prices
    .filter((one) => one.offered !== false)
    .map((one) => one.id)
    .join(" ");

interface Part {
  body: ProductBody;
  problem: (path: string) => string | undefined;
}

/** All prices, and another one. */
function Prices({
  body,
  base,
  mayConfigure,
  mayWord,
  problem,
  onChange,
}: Part & {
  base: string;
  mayConfigure: boolean;
  mayWord: boolean;
  onChange: (body: ProductBody) => void;
}) {
  const { prices } = body;
  const put = (next: PriceBody[]) => onChange(withPrices(body, next));
  const set = (at: number, price: PriceBody) => {
    const before = prices[at]?.id;
    const ladder = body.ladder?.map((step) => (step === before ? price.id : step));
    const next = prices.map((one, i) => (i === at ? price : one));
    onChange(withPrices(ladder ? { ...body, ladder } : body, next));
  };
  const add = () => {
    const last = prices.at(-1);
    if (!last) return;
    const id = idFor(`${body.id}-${prices.length + 1}`, [...prices.map((one) => one.id), body.id]);
    onChange(withValue(body, "prices", [...prices, { ...without(last, "default"), id }]));
  };
  const chooseAtFirst = (price: PriceBody) => {
    const next = prices.map((one) => (one === price ? { ...one, default: true } : without(one, "default")));
    onChange(withValue(body, "prices", next));
  };
  return (
    <>
      {prices.map((price, at) => (
        <PriceEditor
          key={price.id}
          price={price}
          base={base}
          several={prices.length > 1}
          mayConfigure={mayConfigure}
          mayWord={mayWord}
          problem={(path) => problem(`prices[${at}].${path}`)}
          onChange={(next) => set(at, next)}
          onDefault={() => chooseAtFirst(price)}
          onRemove={
            prices.length > 1 && mayConfigure ? () => put(prices.filter((one) => one !== price)) : undefined
          }
        />
      ))}
      {mayConfigure ? (
        <div>
          <Button onPress={add}>Add another price</Button>
        </div>
      ) : null}
    </>
  );
}

/** What buyers read beside the name, and the name at the desk. */
function Words({
  body,
  mayConfigure,
  mayWord,
  problem,
  change,
}: Part & {
  mayConfigure: boolean;
  mayWord: boolean;
  change: (how: (now: ProductBody) => ProductBody) => void;
}) {
  const set = (name: string, value: unknown) => change((now) => withValue(now, name, value));
  const setPicture = useCallback(
    (picture: PictureBody | undefined) => change((now) => withValue(now, "picture", picture)),
    [change],
  );
  return (
    <Section aria-labelledby="words">
      <h2 id="words">What buyers read</h2>
      <PictureField
        label="Picture"
        picture={body.picture}
        mayConfigure={mayConfigure}
        mayWord={mayWord}
        at="picture"
        problem={problem}
        onChange={setPicture}
      />
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
        <Categories
          value={body.categories}
          isDisabled={!mayConfigure}
          problem={problem}
          onChange={(value) => set("categories", value)}
        />
      </Row>
    </Section>
  );
}
