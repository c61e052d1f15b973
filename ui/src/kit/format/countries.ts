// The countries of ISO 3166-1, named by the browser in English.
const CODES =
  "AD AE AF AG AI AL AM AO AQ AR AS AT AU AW AX AZ BA BB BD BE BF BG BH BI BJ BL BM BN BO BQ BR BS BT BV BW BY BZ CA CC CD CF CG CH CI CK CL CM CN CO CR CU CV CW CX CY CZ DE DJ DK DM DO DZ EC EE EG EH ER ES ET FI FJ FK FM FO FR GA GB GD GE GF GG GH GI GL GM GN GP GQ GR GS GT GU GW GY HK HM HN HR HT HU ID IE IL IM IN IO IQ IR IS IT JE JM JO JP KE KG KH KI KM KN KP KR KW KY KZ LA LB LC LI LK LR LS LT LU LV LY MA MC MD ME MF MG MH MK ML MM MN MO MP MQ MR MS MT MU MV MW MX MY MZ NA NC NE NF NG NI NL NO NP NR NU NZ OM PA PE PF PG PH PK PL PM PN PR PS PT PW PY QA RE RO RS RU RW SA SB SC SD SE SG SH SI SJ SK SL SM SN SO SR SS ST SV SX SY SZ TC TD TF TG TH TJ TK TL TM TN TO TR TT TV TW TZ UA UG UM US UY UZ VA VC VE VG VI VN VU WF WS YE YT ZA ZM ZW";

/** The member states of the European Union; a test compares them with the server's. */
export const EU = "AT BE BG CY CZ DE DK EE ES FI FR GR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK".split(
  " ",
);

const known = new Map<string, Intl.DisplayNames>();

function named(language: string): Intl.DisplayNames {
  const one = known.get(language) ?? new Intl.DisplayNames(language, { type: "region" });
  known.set(language, one);
  return one;
}

const NAMES = named("en");

export const COUNTRIES: readonly (readonly [code: string, name: string])[] = CODES.split(" ")
  .map((code) => [code, NAMES.of(code) ?? code] as const)
  .sort((a, b) => a[1].localeCompare(b[1], "en"));

export const countryName = (code: string): string => (code ? (NAMES.of(code) ?? code) : "");

/** What people write besides the names that the browser knows. */
const ALSO: Record<string, string> = {
  AE: "UAE",
  CZ: "Czech Republic",
  GB: "UK, Great Britain, England, Scotland, Wales",
  NL: "Holland",
  US: "USA, America",
};

/** Letters as they are compared: without accents, case or points. */
const plain = (text: string): string =>
  text
    .normalize("NFKD")
    .replace(/[\u0300-\u036f.]/g, "")
    .replace(/[’‘]/g, "'")
    .trim()
    .toLowerCase();

let names: Map<string, string[]> | undefined;

/** Every name of every country: in English, in the reader's language, in some that many write, and in its own. */
function allNames(): Map<string, string[]> {
  if (names) return names;
  const languages = [
    "en",
    "de",
    "es",
    "fr",
    "it",
    "nl",
    "pl",
    "pt",
    Intl.DateTimeFormat().resolvedOptions().locale,
  ];
  return (names = new Map(
    COUNTRIES.map(([code]) => [
      code,
      [
        ...[...languages, new Intl.Locale(`und-${code}`).maximize().language].map(
          (language) => named(language).of(code) ?? code,
        ),
        ...(ALSO[code]?.split(", ") ?? []),
      ].map(plain),
    ]),
  ));
}

/** The countries that fit what is typed: by their two letters, then those whose name begins so, then the others. */
export function countriesFor(typed: string): { key: string; name: string; kind: string }[] {
  const sought = plain(typed);
  const rank = ([code, name]: readonly [string, string]): number => {
    if (!sought) return 1;
    if (code.toLowerCase() === sought || plain(name) === sought) return 0;
    const all = allNames().get(code) ?? [];
    if (all.includes(sought)) return 1;
    if (all.some((one) => one.startsWith(sought))) return 2;
    return plain(name).includes(sought) ? 3 : 9;
  };
  return COUNTRIES.map((one) => ({ one, at: rank(one) }))
    .filter(({ at }) => at < 9)
    .sort((a, b) => a.at - b.at)
    .map(({ one: [code, name] }) => ({ key: code, name, kind: code }));
}

/** The one country that is meant by what was typed, if there is one: its code, a name of it, or how only its begins. */
export function meantCountry(typed: string): string | undefined {
  const sought = plain(typed);
  if (!sought) return undefined;
  const only = (all: readonly (readonly [string, string])[]) => (all.length === 1 ? all[0]?.[0] : undefined);
  const by = (fits: (name: string) => boolean) =>
    only(COUNTRIES.filter(([code]) => (allNames().get(code) ?? []).some(fits)));
  return (
    COUNTRIES.find(([code, name]) => code.toLowerCase() === sought || plain(name) === sought)?.[0] ??
    by((name) => name === sought) ??
    (sought.length > 2
      ? (by((name) => name.startsWith(sought)) ??
        only(COUNTRIES.filter(([, name]) => plain(name).includes(sought))))
      : undefined)
  );
}
