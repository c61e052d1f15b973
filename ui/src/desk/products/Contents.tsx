// A bundle: what a product holds, and what buying its parts one by one would cost.
import { useQuery } from "@tanstack/react-query";
import { memo, useDeferredValue, useState } from "react";

import { Button } from "../../kit/Button";
import { Finder, fitting } from "../../kit/fields/Finder";
import { SlotChoice, SlotText, Sentence } from "../../kit/fields/Sentence";
import { Section } from "../../kit/Sheet";
import { numberOr, withValue, type ContentBody, type ProductBody } from "../editing/bodies";
import { part, prices } from "../queries";
import { useRoll } from "../tape/tapeState";
import { slots } from "../editing/slots";

interface Props {
  code: string;
  contents: ContentBody[] | undefined;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  /** Changes the product as it is now: what is drawn here may be of a moment ago. */
  change: (how: (body: ProductBody) => ProductBody) => void;
}

const NOTHING: ContentBody[] = [];

export const Contents = memo(function Contents({
  code,
  contents = NOTHING,
  isDisabled,
  problem,
  change,
}: Props) {
  const [adding, setAdding] = useState(false);
  const setAll = (next: ContentBody[]) =>
    change((body) => withValue(body, "contains", next.length ? next : undefined));
  if (!contents.length && isDisabled) return null;
  return (
    <Section aria-labelledby="contents">
      <h2 id="contents">What it holds</h2>
      {contents.length === 0 && !adding ? (
        <p className="quiet">
          Nothing but itself. A product that holds others is a bundle: one price, and the stock of each part.
        </p>
      ) : null}
      {contents.map((content, at) => (
        <Content
          key={`${content.price} ${at}`}
          code={code}
          content={content}
          isDisabled={isDisabled}
          problem={(name) => problem(`contains[${at}].${name}`)}
          onChange={(next) => setAll(contents.map((one, i) => (i === at ? next : one)))}
          onRemove={() => setAll(contents.filter((_, i) => i !== at))}
        />
      ))}
      <Saving />
      {isDisabled ? null : adding ? (
        <Adding
          code={code}
          onChoose={(price) => {
            setAdding(false);
            setAll([...contents, { price }]);
          }}
          onLeave={() => setAdding(false)}
        />
      ) : (
        <div>
          <Button onPress={() => setAdding(true)}>
            {contents.length ? "Put another in" : "Put something in"}
          </Button>
        </div>
      )}
    </Section>
  );
});

/** What the bundle saves; drawn anew with every answer of the tape, and nothing else with it. */
function Saving() {
  const saving = useRoll().tapes?.comparisons.filter((one) => one.against === "") ?? [];
  return (
    <>
      {saving.map((one) => (
        <p key={one.words} className="quiet">
          {one.words}
        </p>
      ))}
    </>
  );
}

function Content({
  code,
  content,
  isDisabled,
  problem,
  onChange,
  onRemove,
}: {
  code: string;
  content: ContentBody;
  isDisabled: boolean;
  problem: (name: string) => string | undefined;
  onChange: (content: ContentBody) => void;
  onRemove: () => void;
}) {
  const found = useQuery(prices(code, content.price)).data?.find((one) => one.price === content.price);
  const product = useQuery({
    ...part(code, "product", found?.product ?? ""),
    enabled: found !== undefined,
  }).data;
  const variants = (product?.part.body as ProductBody | undefined)?.variants ?? [];
  const { at, problems } = slots(problem, isDisabled);
  return (
    <Sentence problems={problems}>
      <SlotText
        label={`How many of ${content.price}`}
        inputMode="numeric"
        value={String(content.quantity ?? 1)}
        {...at("quantity", "price")}
        onChange={(text) => onChange({ ...content, quantity: numberOr(text) ?? "" })}
      />{" "}
      × {found?.words ?? content.price}
      {variants.length ? (
        <>
          , in{" "}
          <SlotChoice
            label={`Variant of ${content.price}`}
            value={content.variant ?? ""}
            options={[["", "any variant"], ...variants.map((one) => [one.id, one.name] as const)]}
            {...at("variant")}
            onChange={(variant) => {
              const { price, quantity } = content;
              const rest = quantity === undefined ? { price } : { price, quantity };
              onChange(variant ? { ...rest, variant } : rest);
            }}
          />
        </>
      ) : null}{" "}
      {isDisabled ? null : (
        <Button look="plain" onPress={onRemove}>
          Take out<span className="hidden"> {content.price}</span>
        </Button>
      )}
    </Sentence>
  );
}

function Adding({
  code,
  onChoose,
  onLeave,
}: {
  code: string;
  onChoose: (price: string) => void;
  onLeave: () => void;
}) {
  const [typed, setTyped] = useState("");
  const sought = useDeferredValue(typed.trim());
  const asked = useQuery(prices(code, sought));
  return (
    <div style={{ display: "flex", gap: 10, alignItems: "end", maxWidth: 520 }}>
      <div style={{ flex: 1 }}>
        <Finder
          label="Price to put in"
          atOnce
          found={fitting(
            (asked.data ?? []).map((one) => ({ key: one.price, name: one.words, kind: one.price })),
            typed,
            asked.isPlaceholderData,
          )}
          typed={typed}
          onType={setTyped}
          onChoose={onChoose}
          nothing="No price is called that."
        />
      </div>
      <Button look="plain" onPress={onLeave}>
        Leave
      </Button>
    </div>
  );
}
