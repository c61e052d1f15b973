import { useQuery } from "@tanstack/react-query";

import { Choice } from "../../kit/fields/Choice";
import { COUNTRIES, countryName } from "../../kit/format/countries";
import { countries } from "../queries";

interface Props {
  label: string;
  value: string;
  problem: string | undefined;
  isDisabled: boolean;
  onChange: (place: string) => void;
}

/** A place whose tax is meant: a country, or a state or province where those tax, by its name. */
export function PlaceChoice({ label, value, problem, isDisabled, onChange }: Props) {
  const known = useQuery(countries).data ?? [];
  const regions = known.flatMap(({ code, regions }) =>
    regions.map(
      (one) => [`${code}-${one.code}`, `${one.name}, ${code === "US" ? "USA" : "Canada"}`] as const,
    ),
  );
  const there = regions.some(([code]) => code === value) || COUNTRIES.some(([code]) => code === value);
  return (
    <Choice
      bare
      label={label}
      value={value}
      options={[...(there ? [] : [[value, value || "Choose …"] as const]), ...regions]}
      others={["Countries", COUNTRIES]}
      onChange={onChange}
      problem={problem}
      isDisabled={isDisabled}
    />
  );
}

/** What a place is called: a country, or a state or province with its country. */
export function usePlaceName(): (place: string) => string {
  const known = useQuery(countries).data ?? [];
  return (place) => {
    const [country = "", region] = place.split("-");
    if (!region) return countryName(country);
    const found = known.find(({ code }) => code === country)?.regions.find(({ code }) => code === region);
    return `${found?.name ?? region}, ${countryName(country)}`;
  };
}
