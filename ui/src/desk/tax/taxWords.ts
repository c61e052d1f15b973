import { countryName } from "../../kit/format/countries";

export const RATE_LABELS = {
  place: "Place",
  postal_prefix: "Postal codes",
  counts_as: "What it counts as",
  name: "Name",
  rate: "Share of one",
};

export const RATE_HINTS = {
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
