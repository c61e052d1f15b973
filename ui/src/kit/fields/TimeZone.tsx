import { Choice } from "./Choice";

interface Props {
  label: string;
  value: string;
  /** Those of the country, which are most likely meant. */
  likely: readonly string[];
  onChange: (zone: string) => void;
  problem?: string | undefined;
  isDisabled?: boolean | undefined;
}

const ALL = Intl.supportedValuesOf("timeZone");

/** A zone as people read it, with what its clock shows: "Europe/Brussels, 14:05". */
function words(zone: string): string {
  const clock = new Intl.DateTimeFormat("en-GB", { timeZone: zone, hour: "2-digit", minute: "2-digit" });
  return `${zone.replaceAll("_", " ")}, ${clock.format()}`;
}

/** A time zone of the IANA list: those of the country first. */
export function TimeZone({ label, value, likely, onChange, problem, isDisabled }: Props) {
  const first = likely.includes(value) || !value ? likely : [value, ...likely];
  const others = ALL.filter((zone) => !first.includes(zone));
  return (
    <Choice
      label={label}
      value={value}
      options={first.map((zone) => [zone, words(zone)] as const)}
      others={["All other time zones", others.map((zone) => [zone, zone.replaceAll("_", " ")] as const)]}
      onChange={onChange}
      problem={problem}
      isDisabled={isDisabled}
    />
  );
}
