// Who buys, where they live, where it goes, and the business that the invoice is for.
import { AddressFields, CountryField, emptyParcel, TextField } from "../Fields";
import { Aside, Tick, Together } from "../look";
import { nameOf, withRegion } from "../typed";
import { type UnderWay, useTaxNumber } from "./useCheckout";

interface Part {
  checkout: UnderWay;
}

/** The address of the mail, the name, and a password where there is something to look after. */
export function Who({ checkout }: Part) {
  const { typed, set, missing, inAnswer, quote, password, setPassword } = checkout;
  return (
    <>
      <TextField
        label="Email"
        required
        name="email"
        type="email"
        autoComplete="email"
        value={typed.email}
        problem={missing.email ?? inAnswer("email")}
        onChange={(email) => set({ email })}
      />
      <TextField
        label="Name"
        required
        name="name"
        autoComplete="name"
        value={typed.name}
        problem={missing.name ?? inAnswer("name")}
        onChange={(name) => set({ name })}
      />
      {quote?.later.length ? (
        <TextField
          label="Password, to look after it later"
          name="password"
          type="password"
          autoComplete="new-password"
          value={password}
          problem={inAnswer("password")}
          about="Without one, a mailed link lets you in."
          onChange={setPassword}
        />
      ) : null}
    </>
  );
}

/** The country, guessed at first, and which is right where the connection seems to come from another. */
export function Country({ checkout }: Part) {
  const { counter, typed, set, guessed, setGuessed, livesHere, setLivesHere, quote, wrong } = checkout;
  return (
    <>
      <CountryField
        countries={counter.countries}
        value={typed.country}
        problem={checkout.inAnswer("country") ?? wrong("buyer.country")}
        about={guessed ? "Our guess. Change it if you live elsewhere." : undefined}
        onChange={(country) => {
          setGuessed(false);
          setLivesHere(false);
          set({ country, address: { street: typed.address.street, city: typed.address.city } });
        }}
      />
      {quote?.seen_in ? (
        <Aside role="group" aria-label="Where you live">
          <strong>Your connection seems to come from {quote.seen_in.name}.</strong>
          Tax depends on where you live, so please say which is right.
          <Tick>
            <input type="radio" name="lives_here" checked={livesHere} onChange={() => setLivesHere(true)} />
            {`I live in ${nameOf(counter, typed.country)}`}
          </Tick>
          <Tick>
            <input
              type="radio"
              name="lives_here"
              checked={false}
              onChange={() => set({ country: quote.seen_in?.code ?? typed.country, address: {} })}
            />
            {`I live in ${quote.seen_in.name}`}
          </Tick>
        </Aside>
      ) : null}
    </>
  );
}

/** The buyer's own address, in the form of their country. */
function OwnAddress({ checkout }: Part) {
  const { typed, set, form, quote, inAnswer } = checkout;
  const address = withRegion(typed.address, quote?.region);
  return (
    <AddressFields
      form={form}
      where="address"
      value={address}
      problem={inAnswer}
      onChange={(part) => set({ address: { ...address, ...part } })}
    />
  );
}

/** Where it goes: to the buyer or elsewhere; of what is not sent, the postal code where tax hangs on it. */
export function Address({ checkout }: Part) {
  const { typed, set, sends, quote, form, inAnswer } = checkout;
  return (
    <>
      {sends && !typed.deliver_to ? (
        <OwnAddress checkout={checkout} />
      ) : quote?.needs_postal_code && !typed.business ? (
        <AddressFields
          form={form}
          where="address"
          value={typed.address}
          only={["postal_code"]}
          problem={inAnswer}
          onChange={(part) => set({ address: { ...typed.address, ...part } })}
        />
      ) : null}
      {sends ? (
        <Tick>
          <input
            type="checkbox"
            checked={Boolean(typed.deliver_to)}
            onChange={(event) =>
              set({ deliver_to: event.target.checked ? emptyParcel(typed.country) : undefined })
            }
          />
          Send it to another address
        </Tick>
      ) : null}
      {sends && typed.deliver_to ? <Elsewhere checkout={checkout} to={typed.deliver_to} /> : null}
    </>
  );
}

function Elsewhere({ checkout, to }: Part & { to: NonNullable<UnderWay["typed"]["deliver_to"]> }) {
  const { counter, setParcel, parcelForm, inAnswer } = checkout;
  return (
    <Together>
      <legend>Where it goes</legend>
      <TextField
        label="For whom"
        required
        name="deliver_to.name"
        autoComplete="shipping name"
        value={to.name}
        problem={inAnswer("deliver_to.name")}
        onChange={(name) => setParcel({ name })}
      />
      <CountryField
        countries={counter.countries}
        name="deliver_to.country"
        value={to.country}
        problem={undefined}
        onChange={(country) => setParcel({ country, region: undefined, postal_code: undefined })}
      />
      <AddressFields
        form={parcelForm}
        where="deliver_to"
        value={to}
        problem={inAnswer}
        onChange={setParcel}
      />
    </Together>
  );
}

/** A business: its name and address for the invoice, and its tax number. */
export function Business({ checkout }: Part) {
  const { typed, set, sends, form, prices, inAnswer } = checkout;
  const number = useTaxNumber(checkout);
  if (!form.tax_number && !prices.some((one) => one.kind === "service" || one.kind === "event")) return null;
  return (
    <>
      <Tick>
        <input
          type="checkbox"
          checked={typed.business}
          onChange={(event) => set({ business: event.target.checked })}
        />
        I buy for a business
      </Tick>
      {typed.business ? (
        <>
          <TextField
            label="Company"
            required
            name="company"
            autoComplete="organization"
            value={typed.company ?? ""}
            problem={inAnswer("company")}
            onChange={(company) => set({ company })}
          />
          {sends && !typed.deliver_to ? null : <OwnAddress checkout={checkout} />}
          {form.tax_number ? (
            <TextField
              label={form.tax_number}
              name="tax_number"
              autoComplete="off"
              value={typed.tax_number ?? ""}
              problem={
                number.found && number.found.state !== "valid" && number.found.state !== "no_answer"
                  ? number.found.words
                  : undefined
              }
              about={number.found?.words}
              onChange={(tax_number) => set({ tax_number })}
              onLeave={() => void number.ask()}
            />
          ) : null}
        </>
      ) : null}
    </>
  );
}
