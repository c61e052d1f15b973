// Who sells and where they are registered, in sentences; and the map of what that means, country by country.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";

import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Sentence, SlotChoice, SlotDay, SlotText } from "../../kit/fields/Sentence";
import { Body, Section, Table } from "../../kit/Sheet";
import { COUNTRIES, countryName } from "../../kit/format/countries";
import { grouped } from "../../kit/format/money";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { TaxRooms } from "../room/StageRooms";
import { TreatmentMap } from "./TreatmentMap";
import { withValue, type OwnRateBody, type RegistrationBody, type TaxBody } from "../editing/bodies";
import { part, treatments, useSite } from "../queries";

export const Tax = () => (
  <PartRoom rooms={<TaxRooms />} name="Tax" kind="tax">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const site = useSite(code).data;
  const home = useQuery(part(code, "site", "-")).data?.part.body as { country?: string } | undefined;
  const map = useQuery(treatments(code, site?.change ?? 0)).data;
  const body = draft.body as TaxBody;
  const store = (next: TaxBody) => draft.edit(next);
  const registrations = body.registrations ?? [];
  const rates = body.rates ?? [];
  return (
    <Body>
      <header>
        <h1>Tax</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      {map?.threshold?.counts && map.threshold.state !== "below" ? (
        <NearThreshold of={map.threshold} />
      ) : null}
      <Sentence problems={[problem("included"), problem("rounding"), problem("exempt.sentence")]}>
        The business is in <strong>{countryName(home?.country ?? "")}</strong> and{" "}
        <SlotChoice
          label="Whether tax is charged"
          value={body.exempt ? "exempt" : "charges"}
          options={[
            ["charges", "charges tax"],
            ["exempt", "charges no tax, as a small business"],
          ]}
          isDisabled={off}
          onChange={(which) =>
            store(
              withValue(body, "exempt", which === "exempt" ? { sentence: "No tax is charged." } : undefined),
            )
          }
        />
        .
        {body.exempt ? (
          <>
            {" "}
            Its papers say:{" "}
            <SlotText
              label="Sentence on papers"
              value={body.exempt.sentence}
              isDisabled={off}
              onChange={(sentence) => store({ ...body, exempt: { sentence } })}
            />
          </>
        ) : (
          <>
            {" "}
            Amounts{" "}
            <SlotChoice
              label="Whether amounts include tax"
              value={body.included === false ? "on-top" : "included"}
              options={[
                ["included", "include tax"],
                ["on-top", "are without tax, which is added"],
              ]}
              isDisabled={off}
              onChange={(which) => store({ ...body, included: which === "included" })}
            />
            ; where none is due,{" "}
            <SlotChoice
              label="Where no tax is due"
              value={body.when_untaxed ?? "deduct"}
              options={[
                ["deduct", "the home tax comes off"],
                ["keep", "the amount stays as it is"],
              ]}
              isDisabled={off}
              onChange={(when_untaxed) => store({ ...body, when_untaxed })}
            />
            . Tax is rounded{" "}
            <SlotChoice
              label="How tax is rounded"
              value={body.rounding ?? "line"}
              options={[
                ["line", "for each line"],
                ["rate", "for the sum of each rate"],
              ]}
              isDisabled={off}
              onChange={(rounding) => store({ ...body, rounding })}
            />
            . A business’s tax number counts when it is{" "}
            <SlotChoice
              label="What a tax number needs to count"
              value={body.business_proof ?? "confirmed"}
              options={[
                ["confirmed", "confirmed by the official register"],
                ["well_formed", "well formed"],
              ]}
              isDisabled={off}
              onChange={(business_proof) => store({ ...body, business_proof })}
            />
            .
          </>
        )}
      </Sentence>
      <Section aria-labelledby="registrations">
        <h2 id="registrations">Where it is registered</h2>
        {registrations.map((one, i) => (
          <Registered
            key={`${one.place ?? one.scheme ?? ""} ${i}`}
            one={one}
            isDisabled={off}
            problems={["", ".place", ".scheme", ".until", ".number"].map((name) =>
              problem(`registrations[${i}]${name}`),
            )}
            onChange={(next) =>
              store({ ...body, registrations: registrations.map((r, j) => (j === i ? next : r)) })
            }
            onRemove={() => store({ ...body, registrations: registrations.filter((_, j) => j !== i) })}
          />
        ))}
        {problem("registrations") ? <Notice kind="attention">{problem("registrations")}</Notice> : null}
        {off ? null : (
          <AddRegistration
            registrations={registrations}
            onAdd={(one) => store({ ...body, registrations: [...registrations, one] })}
          />
        )}
      </Section>
      <OwnRates
        rates={rates}
        isDisabled={off}
        problem={(i, name) => problem(`rates[${i}].${name}`) ?? problem(`rates[${i}]`)}
        trouble={problem("rates")}
        onChange={(next) => store(withValue(body, "rates", next.length ? next : undefined))}
      />
      {map ? <TreatmentMap map={map} /> : null}
    </Body>
  );
}

function NearThreshold({ of }: { of: NonNullable<Schemas["TreatmentsView"]["threshold"]> }) {
  const title =
    of.state === "above"
      ? "Sales across EU borders are above EUR 10,000"
      : "Sales across EU borders come near EUR 10,000";
  return (
    <Notice kind={of.state === "above" ? "error" : "attention"} title={title}>
      EUR {grouped(of.this_year)} this year, {grouped(of.last_year)} last year, net, to consumers, in the live
      book.{" "}
      {of.state === "above"
        ? "From the sale that went above it on, the buyer’s country’s tax is due: register for the one-stop shop."
        : "Above it the buyer’s country’s tax is due: register for the one-stop shop in time."}
    </Notice>
  );
}

function Registered({
  one,
  isDisabled,
  problems,
  onChange,
  onRemove,
}: {
  one: RegistrationBody;
  isDisabled: boolean;
  problems: (string | undefined)[];
  onChange: (next: RegistrationBody) => void;
  onRemove: () => void;
}) {
  const name = one.scheme ? "the EU one-stop shop" : placeName(one.place ?? "");
  return (
    <Sentence problems={problems}>
      {one.scheme ? "Under " : "In "}
      <strong>{name}</strong>,{" "}
      <SlotDay
        label={`From when in ${name}`}
        none="all along"
        value={one.from ?? ""}
        isDisabled={isDisabled}
        onChange={(day) => onChange(withValue(one, "from", day || undefined))}
      />
      {one.from ? " on" : ""},{" "}
      <SlotDay
        label={`Until when in ${name}`}
        none="without end"
        value={one.until ?? ""}
        isDisabled={isDisabled}
        onChange={(day) => onChange(withValue(one, "until", day || undefined))}
      />
      {one.scheme ? null : (
        <>
          , tax number{" "}
          <SlotText
            label={`Tax number in ${name}`}
            value={one.number ?? ""}
            placeholder="not written yet"
            isDisabled={isDisabled}
            onChange={(number) => onChange(withValue(one, "number", number))}
          />
        </>
      )}
      {isDisabled ? null : (
        <Button look="plain" onPress={onRemove}>
          Take out<span className="hidden"> {name}</span>
        </Button>
      )}
    </Sentence>
  );
}

const FEDERAL = ["US", "CA"];

function AddRegistration({
  registrations,
  onAdd,
}: {
  registrations: RegistrationBody[];
  onAdd: (one: RegistrationBody) => void;
}) {
  const [country, setCountry] = useState("");
  const [region, setRegion] = useState("");
  const scheme = registrations.some((one) => one.scheme);
  const options: [string, string][] = [
    ["", "Choose where"],
    ...(scheme ? [] : ([["EU-OSS", "EU one-stop shop"]] as [string, string][])),
    ...COUNTRIES.map(([code, name]) => [code, name] as [string, string]),
  ];
  const federal = FEDERAL.includes(country);
  const ready = country !== "" && (country !== "US" || region.length >= 2);
  return (
    <div style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap", maxWidth: 620 }}>
      <div style={{ flex: 2, minWidth: 220 }}>
        <Choice label="Also registered in" value={country} options={options} onChange={setCountry} />
      </div>
      {federal ? (
        <div style={{ width: 150 }}>
          <Field
            label={country === "US" ? "State" : "Province, or nothing"}
            value={region}
            placeholder={country === "US" ? "NY" : "QC"}
            onChange={(text) => setRegion(text.trim().toUpperCase().slice(0, 3))}
          />
        </div>
      ) : null}
      <Button
        isDisabled={!ready}
        onPress={() => {
          onAdd(
            country === "EU-OSS"
              ? { scheme: "EU-OSS" }
              : { place: region ? `${country}-${region}` : country },
          );
          setCountry("");
          setRegion("");
        }}
      >
        Add the registration
      </Button>
    </div>
  );
}

function OwnRates({
  rates,
  isDisabled,
  problem,
  trouble,
  onChange,
}: {
  rates: OwnRateBody[];
  isDisabled: boolean;
  problem: (at: number, name: string) => string | undefined;
  trouble: string | undefined;
  onChange: (next: OwnRateBody[]) => void;
}) {
  const set = (at: number, name: string, text: string) =>
    onChange(rates.map((one, i) => (i === at ? withValue(one, name, text.trim() || undefined) : one)));
  return (
    <Section aria-labelledby="own-rates">
      <h2 id="own-rates">Your own rates</h2>
      <p className="quiet">
        Skurrow brings the rates of the EU, the United Kingdom, Switzerland, Norway, Australia, New Zealand
        and Canada, with their days and sources. What you write here takes their place: a state of the USA, or
        a rate that has changed.
      </p>
      {trouble ? <Notice kind="attention">{trouble}</Notice> : null}
      {rates.length ? (
        <div style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Your own rates">
          <Table style={{ minWidth: 560 }}>
            <thead>
              <tr>
                <th scope="col">Place</th>
                <th scope="col">postal codes from</th>
                <th scope="col">counts as</th>
                <th scope="col">called</th>
                <th scope="col">rate</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {rates.map((one, i) => (
                <tr key={i}>
                  {(["place", "postal_prefix", "counts_as", "name", "rate"] as const).map((name) => (
                    <td key={name}>
                      <Field
                        bare
                        label={`${RATE_LABELS[name]} of rate ${i + 1}`}
                        value={one[name] ?? ""}
                        placeholder={RATE_HINTS[name]}
                        problem={problem(i, name)}
                        isDisabled={isDisabled}
                        onChange={(text) => set(i, name, text)}
                      />
                    </td>
                  ))}
                  <td>
                    {isDisabled ? null : (
                      <Button look="plain" onPress={() => onChange(rates.filter((_, j) => j !== i))}>
                        Take out<span className="hidden"> rate {i + 1}</span>
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      ) : null}
      {isDisabled ? null : (
        <div>
          <Button onPress={() => onChange([...rates, { place: "US-NY", name: "Sales tax", rate: "0.04" }])}>
            Add a rate
          </Button>
        </div>
      )}
    </Section>
  );
}

const RATE_LABELS = {
  place: "Place",
  postal_prefix: "Postal codes",
  counts_as: "What it counts as",
  name: "Name",
  rate: "Share of one",
};
const RATE_HINTS = {
  place: "US-NY",
  postal_prefix: "all",
  counts_as: "standard",
  name: "Sales tax",
  rate: "0.08875",
};

/** A country, or a region in full: "United States, NY". */
export function placeName(place: string): string {
  const [country = "", region] = place.split("-");
  return region ? `${countryName(country)}, ${region}` : countryName(country);
}
