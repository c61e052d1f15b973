// A product's variants and its stock: what there is of it, in test and live.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { memo, useState } from "react";
import { styled } from "styled-components";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Section, Table } from "../../kit/Sheet";
import { PictureField } from "./PictureField";
import {
  idFor,
  numberOr,
  withAmount,
  without,
  withValue,
  type ProductBody,
  type VariantBody,
} from "../editing/bodies";
import { refresh, stock } from "../queries";
import { slots } from "../editing/slots";

const Entry = styled.li`
  display: grid;
  grid-template-columns: minmax(120px, 1fr) 130px 110px auto;
  gap: 8px 14px;
  align-items: end;
  padding: 10px 0;
  border-bottom: 1px solid var(--hairline);
  .picture {
    grid-column: 1 / -1;
  }
  @media (max-width: 620px) {
    grid-template-columns: 1fr 1fr;
  }
`;

const List = styled.ul`
  list-style: none;
  margin: 0;
  padding: 0;
`;

interface Props {
  code: string;
  product: string;
  name: string;
  variants: VariantBody[] | undefined;
  stock: number | string | undefined;
  base: string;
  mayConfigure: boolean;
  mayWord: boolean;
  problem: (path: string) => string | undefined;
  /** Changes the product as it is now: what is drawn here may be of a moment ago. */
  change: (how: (body: ProductBody) => ProductBody) => void;
}

const NONE: VariantBody[] = [];

const COUNTED = [
  ["no", "is not counted"],
  ["product", "is counted for the whole product"],
  ["variant", "is counted for each variant"],
] as const;

type Counted = (typeof COUNTED)[number][0];

export const Variants = memo(function Variants({
  code,
  product,
  name,
  variants = NONE,
  stock: opening,
  base,
  mayConfigure,
  mayWord,
  problem,
  change,
}: Props) {
  const setAll = (next: VariantBody[]) =>
    change((body) => withValue(body, "variants", next.length ? next : undefined));
  const set = (at: number, variant: VariantBody) =>
    setAll(variants.map((one, i) => (i === at ? variant : one)));
  const counted: Counted =
    opening !== undefined ? "product" : variants.some((one) => one.stock !== undefined) ? "variant" : "no";
  const add = () => {
    const id = idFor(
      `variant-${variants.length + 1}`,
      variants.map((one) => one.id),
    );
    setAll([
      ...variants,
      { id, name: `Variant ${variants.length + 1}`, ...(counted === "variant" ? { stock: 0 } : {}) },
    ]);
  };
  const { at, problems } = slots(problem, !mayConfigure);
  return (
    <Section aria-labelledby="variants">
      <h2 id="variants">Variants and stock</h2>
      <Sentence problems={problems}>
        Stock{" "}
        <SlotChoice
          label="How stock is counted"
          value={counted}
          options={COUNTED.filter(([name]) => name !== "variant" || variants.length > 0)}
          {...(counted === "product" ? { isDisabled: !mayConfigure } : at("stock"))}
          onChange={(next) => change((body) => countedAs(body, next))}
        />
        {counted === "product" ? (
          <>
            , and begins with{" "}
            <SlotText
              label="Opening stock"
              inputMode="numeric"
              value={String(opening ?? "")}
              {...at("stock")}
              onChange={(text) => change((body) => ({ ...body, stock: numberOr(text) ?? "" }))}
            />
          </>
        ) : null}
        .
      </Sentence>
      {counted === "no" ? null : (
        <Levels code={code} product={product} name={name} variants={variants} mayConfigure={mayConfigure} />
      )}
      {variants.length ? (
        <List aria-label="Variants">
          {variants.map((variant, at) => (
            <Entry key={variant.id}>
              <Field
                label="Name"
                value={variant.name}
                problem={problem(`variants[${at}].name`) ?? problem(`variants[${at}].id`)}
                isDisabled={!mayWord}
                onChange={(name) => set(at, { ...variant, name })}
              />
              <Field
                label={`Own amount, ${base}`}
                currency={base}
                placeholder="as the price"
                value={variant.amount?.[base] ?? ""}
                problem={problem(`variants[${at}].amount.${base}`)}
                isDisabled={!mayConfigure}
                onChange={(text) => {
                  const amount = withAmount(variant.amount, base, text);
                  set(at, Object.keys(amount).length ? { ...variant, amount } : without(variant, "amount"));
                }}
              />
              {counted === "variant" ? (
                <Field
                  label="Opening stock"
                  amount
                  value={String(variant.stock ?? "")}
                  problem={problem(`variants[${at}].stock`)}
                  isDisabled={!mayConfigure}
                  onChange={(text) => set(at, withValue(variant, "stock", numberOr(text)))}
                />
              ) : (
                <span />
              )}
              {mayConfigure ? (
                <Button look="plain" onPress={() => setAll(variants.filter((one) => one !== variant))}>
                  Take out<span className="hidden"> {variant.name}</span>
                </Button>
              ) : (
                <span />
              )}
              <div className="picture">
                <VariantPicture
                  variant={variant}
                  mayConfigure={mayConfigure}
                  mayWord={mayWord}
                  at={`variants[${at}].picture`}
                  problem={problem}
                  onChange={(next) => set(at, next)}
                />
              </div>
            </Entry>
          ))}
        </List>
      ) : null}
      {mayConfigure ? (
        <div>
          <Button onPress={add}>Add a variant</Button>
        </div>
      ) : null}
    </Section>
  );
});

/** A variant's picture, shown once it is asked for: most have none. */
function VariantPicture({
  variant,
  mayConfigure,
  mayWord,
  at,
  problem,
  onChange,
}: {
  variant: VariantBody;
  mayConfigure: boolean;
  mayWord: boolean;
  at: string;
  problem: (path: string) => string | undefined;
  onChange: (variant: VariantBody) => void;
}) {
  const [open, setOpen] = useState(false);
  if (!variant.picture && !open) {
    return mayConfigure ? (
      <Button look="plain" onPress={() => setOpen(true)}>
        Add a picture<span className="hidden"> of {variant.name}</span>
      </Button>
    ) : null;
  }
  return (
    <PictureField
      label={`Picture of ${variant.name}`}
      picture={variant.picture}
      mayConfigure={mayConfigure}
      mayWord={mayWord}
      at={at}
      problem={problem}
      onChange={(picture) => onChange(withValue(variant, "picture", picture))}
    />
  );
}

function countedAs(body: ProductBody, counted: Counted): ProductBody {
  const plain = without(body, "stock");
  const variants = body.variants?.map((one) => without(one, "stock"));
  const base = variants ? { ...plain, variants } : plain;
  if (counted === "product") return { ...base, stock: 0 };
  if (counted === "variant") return { ...base, variants: variants?.map((one) => ({ ...one, stock: 0 })) };
  return base;
}

/** What is left, in test and live, and counting it anew. */
function Levels({
  code,
  product,
  name,
  variants,
  mayConfigure,
}: Pick<Props, "code" | "product" | "name" | "mayConfigure"> & { variants: VariantBody[] }) {
  const asked = useQuery(stock(code, product));
  if (!asked.data?.length) return null;
  const names = Object.fromEntries(variants.map((one) => [one.id, one.name]));
  return (
    <Table style={{ maxWidth: 520 }}>
      <thead>
        <tr>
          <th scope="col">Left</th>
          <th scope="col">Test book</th>
          <th scope="col">Live book</th>
        </tr>
      </thead>
      <tbody>
        {[...new Set(asked.data.map((one) => one.variant))].map((variant) => (
          <tr key={variant}>
            <th scope="row">{variant === "" ? name : (names[variant] ?? variant)}</th>
            {(["test", "live"] as const).map((mode) => (
              <td key={mode}>
                <Level
                  code={code}
                  product={product}
                  level={asked.data.find((one) => one.mode === mode && one.variant === variant)}
                  mayConfigure={mayConfigure}
                />
              </td>
            ))}
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

function Level({
  code,
  product,
  level,
  mayConfigure,
}: {
  code: string;
  product: string;
  level: Schemas["StockView"] | undefined;
  mayConfigure: boolean;
}) {
  const queries = useQueryClient();
  const [typed, setTyped] = useState<string>();
  const count = useMutation({
    mutationFn: (counted: number) =>
      data(
        api.POST("/desk/api/sites/{site}/stock/{product_id}", {
          params: { path: { site: code, product_id: product } },
          body: {
            mode: level?.mode ?? "test",
            variant: level?.variant ?? "",
            seen: level?.remaining ?? 0,
            counted,
          },
        }),
      ),
    onSuccess: () => setTyped(undefined),
    onSettled: () => refresh(queries, code, "stock"),
  });
  if (!level) return null;
  const wrong = typed !== undefined && !/^\d{1,9}$/.test(typed);
  return (
    <>
      <SlotText
        label={`Left in ${level.mode}`}
        inputMode="numeric"
        value={typed ?? String(level.remaining)}
        isDisabled={!mayConfigure}
        invalid={wrong || count.isError}
        onChange={(text) => setTyped(text === String(level.remaining) ? undefined : text)}
      />
      {level.begun ? "" : <span className="quiet"> to begin with</span>}
      {typed !== undefined ? (
        <>
          {" "}
          <Button isDisabled={wrong} isPending={count.isPending} onPress={() => count.mutate(Number(typed))}>
            Set what was counted
          </Button>
          <Button look="plain" onPress={() => setTyped(undefined)}>
            Leave
          </Button>
        </>
      ) : null}
      {count.error ? (
        <p role="alert" style={{ color: "var(--madder)" }}>
          {count.error instanceof Refused ? count.error.problem.detail : "It was not stored. Try again."}
        </p>
      ) : null}
    </>
  );
}
