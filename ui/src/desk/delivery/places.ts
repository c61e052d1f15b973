// Places of a zone, as people write them and as they are stored.
import { countryName, EU, meantCountry } from "../../kit/format/countries";

/** A country by its name; a region, a beginning of postal codes and everywhere else as they are written. */
function placeName(place: string): string {
  if (place === "*") return "everywhere else";
  return /^[A-Z]{2}$/.test(place) ? countryName(place) : place;
}

const members = (elsewhere: readonly string[]) => EU.filter((code) => !elsewhere.includes(code));

/** The places of a zone in words; all members of the European Union that stand in no other zone are "EU". */
export function placesInWords(places: readonly string[], elsewhere: readonly string[]): string {
  const eu = members(elsewhere);
  if (eu.length < 2 || !eu.every((code) => places.includes(code))) return places.map(placeName).join(", ");
  return ["EU", ...places.filter((code) => !eu.includes(code)).map(placeName)].join(", ");
}

/** Places as they are typed, with commas between them: countries by name or code, "EU" for its members that stand in no
 * other zone. What is none of these stays as it is typed, and is told to be none. */
export function placesIn(text: string, elsewhere: readonly string[] = []): string[] {
  const found = text
    .split(",")
    .map((one) => one.trim())
    .filter(Boolean)
    .flatMap((one) => {
      if (/^(everywhere( else)?|anywhere|\*)$/i.test(one)) return ["*"];
      if (/^(the )?(eu|european union)$/i.test(one)) return members(elsewhere);
      return [meantCountry(one) ?? one.toUpperCase()];
    });
  return [...new Set(found)];
}
