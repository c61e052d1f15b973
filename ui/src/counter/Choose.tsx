// What the buyer chooses about the thing itself: which price, which variant, how many, at what amount.
import { daysToGiveBack, priceOf, variantOf, type Price } from "./chosen";
import {
  type Props,
  Shown,
  PriceField,
  VariantField,
  QuantityField,
  AmountField,
  Before,
  Few,
} from "./fieldsOfChoice";

/** What the product says of itself, an only price, and for how long it can be given back. */
function About({ price, only }: { price: Price; only: boolean }) {
  const days = price.refund_days;
  return (
    <>
      {price.about ? <p>{price.about}</p> : null}
      {only && price.before ? (
        <p>
          <Before price={price} />
        </p>
      ) : null}
      {only && price.saving ? <p>{price.saving}</p> : null}
      {only && price.text ? <p>{price.text}</p> : null}
      {days ? <p className="lead">{daysToGiveBack(days)}</p> : null}
    </>
  );
}

export function Choose({ counter, chosen, problem, onChange }: Props) {
  const price = priceOf(counter, chosen);
  const variant = variantOf(price, chosen);
  if (!price) return null;
  const picture = variant?.picture ?? price.picture;
  return (
    <>
      {picture ? <Shown src={picture.address} alt={picture.text} /> : null}
      <About price={price} only={counter.prices.length === 1} />
      {counter.prices.length > 1 ? (
        <PriceField counter={counter} price={price} problem={problem("price")} onChange={onChange} />
      ) : price.sold_out ? (
        <p role="status">
          <strong>Sold out.</strong>
        </p>
      ) : null}
      {price.variants.length ? (
        <VariantField price={price} variant={variant} problem={problem("variant")} onChange={onChange} />
      ) : null}
      {price.largest > price.smallest ? (
        <QuantityField price={price} chosen={chosen} problem={problem("quantity")} onChange={onChange} />
      ) : null}
      {price.suggested !== null ? (
        <AmountField
          price={price}
          counter={counter}
          chosen={chosen}
          problem={problem("chosen")}
          onChange={onChange}
        />
      ) : null}
      <Few left={variant ? variant.left : price.left} soldOut={price.sold_out} />
    </>
  );
}
