// Slots of a price: how many, from and until when, and what it comes to beside others.
import { Button } from "../../kit/Button";
import { SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { grouped } from "../../kit/format/money";
import { numberOr, without } from "../editing/bodies";
import { useRoll, useTape } from "../tape/tapeState";
import { Future } from "./Future";
import type { SlotsOf } from "./startSlots";

export function quantitySlots({ price, at, onChange }: SlotsOf) {
  const set = (name: "min" | "max", text: string) =>
    onChange({ ...price, quantity: { min: 1, max: 1, ...price.quantity, [name]: numberOr(text) ?? "" } });
  const slot = (name: "min" | "max", label: string) => (
    <SlotText
      label={label}
      inputMode="numeric"
      value={String(price.quantity?.[name] ?? 1)}
      {...at(`quantity.${name}`, "quantity")}
      onChange={(text) => set(name, text)}
    />
  );
  const { min = 1, max = 1 } = price.quantity ?? {};
  const several = String(min) !== "1" || String(max) !== "1";
  return (
    <>
      ,{" "}
      <SlotChoice
        label="How many at a time"
        value={several ? "several" : "one"}
        options={HOW_MANY}
        isDisabled={at("quantity").isDisabled}
        onChange={(next) =>
          onChange(
            next === "one" ? without(price, "quantity") : { ...price, quantity: { min: 1, max: SEVERAL } },
          )
        }
      />
      {several ? (
        <>
          {" "}
          {slot("min", "Smallest quantity")} to {slot("max", "Largest quantity")}
        </>
      ) : null}
      .
    </>
  );
}

const HOW_MANY = [
  ["one", "one at a time"],
  ["several", "several at a time:"],
] as const;

/** How many of one thing a shop sells at a time, unless it says so. */
export const SEVERAL = 10;

/** The first charges of a price, of what is being typed. */
export function Dated({ price, base }: { price: string; base: string }) {
  const future = useRoll().tapes?.futures.find((one) => one.price === price);
  if (!future) return null;
  return (
    <Future role="group" aria-label="When it is charged">
      {future.days.length ? (
        <table>
          <caption>bought today, in {base}</caption>
          <tbody>
            {future.days.map((one) => (
              <tr key={one.day}>
                <th scope="row">{one.day}</th>
                <td>{grouped(one.amount)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      ) : (
        <p>never charged</p>
      )}
      {future.more ? <p>{future.more}</p> : null}
    </Future>
  );
}

/** How a price stands beside the product's others. */
export function Compared({ price }: { price: string }) {
  const found = (useRoll().tapes?.comparisons ?? []).filter(
    (one) => one.price === price && one.against !== "",
  );
  return (
    <>
      {found.map((one) => (
        <p key={one.words} className="quiet">
          {one.words}
        </p>
      ))}
    </>
  );
}

export function TurnTape({ price }: { price: string }) {
  const { change } = useTape();
  const shown = useRoll().tapes?.price === price;
  if (shown) return <span className="quiet">On the tape. </span>;
  return (
    <Button look="plain" onPress={() => change({ price })}>
      Put it on the tape
    </Button>
  );
}
