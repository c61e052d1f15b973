import { useCallback } from "react";

import { fieldProblem, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Body, Row, Section } from "../../kit/Sheet";
import { Title } from "../../kit/fields/Title";
import { AmountGrid } from "./AmountGrid";
import { ArchivePart } from "../editing/ArchivePart";
import { Arrange } from "../editing/Arrange";
import { Contents } from "./Contents";
import { PictureField } from "./PictureField";
import { Ladder } from "./Ladder";
import { PriceEditor } from "./PriceEditor";
import { Variants } from "./Variants";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import {
  idFor,
  KINDS,
  without,
  withPrices,
  withValue,
  type PictureBody,
  type PriceBody,
  type ProductBody,
  numberOr,
} from "../editing/bodies";
import { COUNTRIES } from "../../kit/format/countries";
import { useSite } from "../queries";
import { useRole } from "../room/role";
import { useOnTape } from "../tape/tapeState";
import { useDraft } from "../editing/useDraft";
import { SlotDate } from "../../kit/fields/Day";

/** One product: its names, what kind of thing it is, its prices, variants and stock, and what it holds. */
export function ProductEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure, mayWord } = useRole(code);
  const site = useSite(code).data;
  const body = draft.body as unknown as ProductBody;
  useOnTape("product", view.part.id, draft);
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const { edit, snapshot } = draft;
  // What hangs on these is drawn anew only when it changes itself, and not with every key pressed elsewhere.
  const problem = useCallback((path: string) => fieldProblem(error, path), [error]);
  const change = useCallback(
    (how: (now: ProductBody) => ProductBody) => edit(how(snapshot().body as unknown as ProductBody)),
    [edit, snapshot],
  );
  const setPicture = useCallback(
    (picture: PictureBody | undefined) => change((now) => withValue(now, "picture", picture)),
    [change],
  );
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const setPrice = (at: number, price: PriceBody) => {
    const before = body.prices[at]?.id;
    const ladder = body.ladder?.map((step) => (step === before ? price.id : step));
    const prices = body.prices.map((one, i) => (i === at ? price : one));
    draft.edit(withPrices(ladder ? { ...body, ladder } : body, prices));
  };
  const base = site?.currencies[0] ?? "EUR";
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
            , held{" "}
            <SlotChoice
              label="Held in"
              value={body.held_in ?? ""}
              options={HELD}
              isDisabled={!mayConfigure}
              invalid={Boolean(problem("held_in"))}
              onChange={(country) => set("held_in", country || undefined)}
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
      <Availability body={body} isDisabled={!mayConfigure} problem={problem} onChange={draft.edit} />
      <Sentence problems={[problem("refund_days")]}>
        Buyers may give it back for{" "}
        <SlotText
          label="Days to give it back"
          value={body.refund_days === undefined ? "" : String(body.refund_days)}
          placeholder="no promised number of"
          inputMode="numeric"
          isDisabled={!mayConfigure}
          invalid={Boolean(problem("refund_days"))}
          onChange={(text) => set("refund_days", numberOr(text))}
        />{" "}
        days after paying.
      </Sentence>
      {body.prices.map((price, at) => (
        <PriceEditor
          key={price.id}
          price={price}
          base={base}
          several={body.prices.length > 1}
          mayConfigure={mayConfigure}
          mayWord={mayWord}
          problem={(path) => problem(`prices[${at}].${path}`)}
          onChange={(next) => setPrice(at, next)}
          onDefault={() =>
            set(
              "prices",
              body.prices.map((one) => (one === price ? { ...one, default: true } : without(one, "default"))),
            )
          }
          onRemove={
            body.prices.length > 1 && mayConfigure
              ? () =>
                  draft.edit(
                    withPrices(
                      body,
                      body.prices.filter((one) => one !== price),
                    ),
                  )
              : undefined
          }
        />
      ))}
      {mayConfigure ? (
        <div>
          <Button onPress={addPrice}>Add another price</Button>
        </div>
      ) : null}
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
        </Row>
      </Section>
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

const HELD: readonly (readonly [string, string])[] = [
  ["", "online"],
  ...COUNTRIES.map(([code, name]) => [code, `in ${name}`] as const),
];

/** An event is held somewhere or online, and only goods weigh something. */
function asKind(body: ProductBody, kind: ProductBody["kind"], home: string): ProductBody {
  const { held_in, weight_g, ...rest } = body;
  if (kind === "event") return { ...rest, kind, held_in: held_in ?? home };
  return kind === "goods" && weight_g !== undefined ? { ...rest, kind, weight_g } : { ...rest, kind };
}

/** When it comes out, for what is sold before it is there. */
function Availability({
  body,
  isDisabled,
  problem,
  onChange,
}: {
  body: ProductBody;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (body: ProductBody) => void;
}) {
  const out = body.available_from === undefined;
  if (out && isDisabled) return null;
  return (
    <Sentence problems={[problem("available_from"), problem("charged")]}>
      It is{" "}
      <SlotChoice
        label="Whether it is out"
        value={out ? "out" : "later"}
        options={[
          ["out", "there already"],
          ["later", "not out yet"],
        ]}
        isDisabled={isDisabled}
        onChange={(next) =>
          onChange(
            next === "out"
              ? without(without(body, "available_from"), "charged")
              : {
                  ...body,
                  available_from: new Date(Date.now() + 30 * 86_400_000).toISOString().slice(0, 10),
                },
          )
        }
      />
      {out ? null : (
        <>
          : it comes out on{" "}
          <SlotDate
            label="Comes out on"
            value={body.available_from ?? ""}
            isDisabled={isDisabled}
            invalid={Boolean(problem("available_from"))}
            onChange={(day) => onChange({ ...body, available_from: day })}
          />
          , and is paid for{" "}
          <SlotChoice
            label="When it is paid for"
            value={body.charged ?? "at_order"}
            options={[
              ["at_order", "when it is ordered"],
              ["at_release", "when it comes out"],
            ]}
            isDisabled={isDisabled}
            onChange={(charged) =>
              onChange(charged === "at_order" ? without(body, "charged") : { ...body, charged })
            }
          />
        </>
      )}
      .
    </Sentence>
  );
}
