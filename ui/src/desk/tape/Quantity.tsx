import { useState } from "react";
import { SlotText } from "../../kit/fields/Sentence";
import type { TapesView } from "./TapeRoll";
import { useTape } from "./tapeState";

export function Quantity({
  quantity,
  smallest,
  largest,
}: Pick<TapesView, "quantity" | "smallest" | "largest">) {
  const { change } = useTape();
  const [typed, setTyped] = useState<string>();
  return (
    <>
      <SlotText
        label="Quantity"
        inputMode="numeric"
        value={typed ?? String(quantity)}
        onChange={(text) => {
          const count = Number(text);
          const fits = Number.isInteger(count) && count >= smallest && count <= largest;
          setTyped(fits ? undefined : text);
          if (fits) change({ quantity: count === smallest ? null : text });
        }}
        invalid={typed !== undefined && typed !== ""}
      />{" "}
      of it
    </>
  );
}
