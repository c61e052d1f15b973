// One price as a sentence, with its dated future beside it.
import { styled } from "styled-components";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Section, Row } from "../../kit/Sheet";
import { type PriceBody, withValue } from "../editing/bodies";
import { PriceSentence } from "./PriceSentence";
import { Dated, Compared, TurnTape } from "./PriceSlots";

const Beside = styled.div`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px 28px;
  align-items: start;
  @media (max-width: 620px) {
    grid-template-columns: minmax(0, 1fr);
  }
`;

interface Props {
  price: PriceBody;
  base: string;
  mayConfigure: boolean;
  mayWord: boolean;
  several: boolean;
  problem: (path: string) => string | undefined;
  onChange: (price: PriceBody) => void;
  onDefault: () => void;
  onRemove: (() => void) | undefined;
}

export function PriceEditor({
  price,
  base,
  mayConfigure,
  mayWord,
  several,
  problem,
  onChange,
  onDefault,
  onRemove,
}: Props) {
  const set = (name: string, value: unknown) => onChange(withValue(price, name, value));
  return (
    <Section aria-label={`Price ${price.label ?? price.id}`}>
      <Beside>
        <PriceSentence
          price={price}
          base={base}
          isDisabled={!mayConfigure}
          problem={problem}
          onChange={onChange}
        />
        <Dated price={price.id} base={base} />
      </Beside>
      <Compared price={price.id} />
      {price.for ? (
        <Field
          label="Who may buy it"
          hint="Email addresses, one a line."
          lines
          value={price.for.join("\n")}
          problem={problem("for") ?? price.for.map((_, i) => problem(`for[${i}]`)).find(Boolean)}
          isDisabled={!mayConfigure}
          onChange={(text) =>
            set(
              "for",
              text.split(/[\n,;]+/).map((one) => one.trimStart()),
            )
          }
        />
      ) : null}
      {several || price.label || price.text ? (
        <Row>
          <Field
            label="Label for buyers"
            hint={
              several ? "Stands beside the others at the counter." : "Where a checkout sells several prices."
            }
            value={price.label ?? ""}
            problem={problem("label")}
            isDisabled={!mayWord}
            onChange={(text) => set("label", text)}
          />
          <Field
            label="A few words more"
            lines="as needed"
            value={price.text ?? ""}
            problem={problem("text")}
            isDisabled={!mayWord}
            onChange={(text) => set("text", text)}
          />
        </Row>
      ) : null}
      <div>
        <TurnTape price={price.id} />
        {mayConfigure && several && !price.default && price.offered !== false ? (
          <Button look="plain" onPress={onDefault}>
            Choose it at first
          </Button>
        ) : null}
        {onRemove ? (
          <Button look="plain" onPress={onRemove}>
            Take this price out
          </Button>
        ) : null}
        {price.default && several ? <span className="quiet"> Chosen at first.</span> : null}
      </div>
    </Section>
  );
}
