// A zone: its places and its methods.
import { useState } from "react";
import { Button } from "../../kit/Button";
import { Sentence, SlotText } from "../../kit/fields/Sentence";
import { Section } from "../../kit/Sheet";
import type { ZoneBody, MethodBody } from "../editing/bodies";
import { Method } from "./Method";
import { placesIn, placesInWords } from "./places";
import { slots } from "../editing/slots";

export function Zone({
  zone,
  elsewhere,
  base,
  isDisabled,
  problem,
  onChange,
  onRemove,
}: {
  zone: ZoneBody;
  /** Places that stand in other zones. */
  elsewhere: readonly string[];
  base: string;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (next: ZoneBody) => void;
  onRemove: () => void;
}) {
  const [typed, setTyped] = useState<string>();
  const methods = zone.methods ?? [];
  const { at, problems } = slots(problem, isDisabled);
  return (
    <Section aria-label={`Zone ${zone.name}`}>
      <Sentence problems={problems}>
        <strong>
          <SlotText
            label="Name of the zone"
            value={zone.name}
            {...at(".name")}
            onChange={(name) => onChange({ ...zone, name })}
          />
        </strong>
        : parcels to{" "}
        <SlotText
          label={`Places of ${zone.name}`}
          value={typed ?? placesInWords(zone.places, elsewhere)}
          onBlur={() => setTyped(undefined)}
          {...at(".places", ...zone.places.map((_, j) => `.places[${j}]`))}
          onChange={(text) => {
            setTyped(text);
            onChange({ ...zone, places: placesIn(text, elsewhere) });
          }}
        />{" "}
        {isDisabled ? null : (
          <Button look="plain" onPress={onRemove}>
            Take out<span className="hidden"> the zone {zone.name}</span>
          </Button>
        )}
      </Sentence>
      {methods.map((method, j) => (
        <Method
          key={`${method.id} ${j}`}
          method={method}
          base={base}
          isDisabled={isDisabled}
          problem={(path) => problem(`.methods[${j}]${path}`)}
          onChange={(next) => onChange({ ...zone, methods: methods.map((one, k) => (k === j ? next : one)) })}
          onRemove={() => onChange({ ...zone, methods: methods.filter((_, k) => k !== j) })}
        />
      ))}
      {isDisabled ? null : (
        <div>
          <Button
            look="plain"
            onPress={() =>
              onChange({
                ...zone,
                methods: [
                  ...methods,
                  {
                    id: freeId(methods),
                    name: methods.length ? "Another way" : "Post",
                    amount: { [base]: "5.00" },
                  },
                ],
              })
            }
          >
            Add a way
          </Button>
        </div>
      )}
    </Section>
  );
}

/** A name for orders that no other way here has. */
function freeId(methods: MethodBody[]): string {
  const taken = new Set(methods.map((one) => one.id));
  let n = methods.length + 1;
  if (!taken.has("post")) return "post";
  while (taken.has(`way-${n}`)) n += 1;
  return `way-${n}`;
}
