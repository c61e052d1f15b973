// Where the seller is registered, and how near a threshold is.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Sentence, SlotText } from "../../kit/fields/Sentence";
import { COUNTRIES } from "../../kit/format/countries";
import { grouped } from "../../kit/format/money";
import { Notice } from "../../kit/Notice";
import { type RegistrationBody, withValue } from "../editing/bodies";
import { countries } from "../queries";
import { usePlaceName } from "./PlaceChoice";
import { SlotDay } from "../../kit/fields/Day";
import { slots } from "../editing/slots";

export function NearThreshold({ of }: { of: NonNullable<Schemas["TreatmentsView"]["threshold"]> }) {
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

export function Registered({
  one,
  isDisabled,
  problem,
  onChange,
  onRemove,
}: {
  one: RegistrationBody;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (next: RegistrationBody) => void;
  onRemove: () => void;
}) {
  const placeName = usePlaceName();
  const name = one.scheme ? "the EU one-stop shop" : placeName(one.place ?? "");
  const { at, problems } = slots(problem, isDisabled);
  return (
    <Sentence problems={problems}>
      {one.scheme ? "Under " : "In "}
      <strong>{name}</strong>,{" "}
      <SlotDay
        label={`From when in ${name}`}
        none="all along"
        value={one.from ?? ""}
        {...at("", ".place", ".scheme", ".from")}
        onChange={(day) => onChange(withValue(one, "from", day || undefined))}
      />
      {one.from ? " on" : ""},{" "}
      <SlotDay
        label={`Until when in ${name}`}
        none="without end"
        value={one.until ?? ""}
        {...at(".until")}
        onChange={(day) => onChange(withValue(one, "until", day || undefined))}
      />
      {one.scheme ? null : (
        <>
          , tax number{" "}
          <SlotText
            label={`Tax number in ${name}`}
            value={one.number ?? ""}
            placeholder="not written yet"
            {...at(".number")}
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

export function AddRegistration({
  registrations,
  onAdd,
}: {
  registrations: RegistrationBody[];
  onAdd: (one: RegistrationBody) => void;
}) {
  const [country, setCountry] = useState("");
  const [region, setRegion] = useState("");
  const usual = useQuery(countries).data ?? [];
  const scheme = registrations.some((one) => one.scheme);
  const options: [string, string][] = [
    ["", "Choose where"],
    ...(scheme ? [] : ([["EU-OSS", "EU one-stop shop"]] as [string, string][])),
    ...COUNTRIES.map(([code, name]) => [code, name] as [string, string]),
  ];
  const regions = (usual.find(({ code }) => code === country)?.regions ?? []).map(
    ({ code, name }) => [code, name] as const,
  );
  const federal = FEDERAL.includes(country);
  const ready = country !== "" && (country !== "US" || region.length >= 2);
  return (
    <div style={{ display: "flex", gap: 12, alignItems: "end", flexWrap: "wrap", maxWidth: 620 }}>
      <div style={{ flex: 2, minWidth: 220 }}>
        <Choice label="Also registered in" value={country} options={options} onChange={setCountry} />
      </div>
      {federal ? (
        <div style={{ width: 190 }}>
          <Choice
            label={country === "US" ? "State" : "Province"}
            value={region}
            options={[["", country === "US" ? "Choose …" : "The whole country"], ...regions]}
            onChange={setRegion}
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
