import { useMemo, useRef, useState } from "react";

import { Finder } from "./Finder";
import { countriesFor, countryName, meantCountry } from "../format/countries";

interface Props {
  label: string;
  value: string;
  onChange: (code: string) => void;
  problem?: string | undefined;
  isDisabled?: boolean;
}

/**
 * A country, found by part of its name in several languages or by its two letters. What stands in the field is what is
 * chosen: whoever leaves it with a name typed has chosen that country, or reads that there is none.
 */
export function Country({ label, value, onChange, problem, isDisabled }: Props) {
  const [typed, setTyped] = useState<string>();
  const [wrong, setWrong] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  const found = useMemo(() => countriesFor(typed ?? ""), [typed]);
  const choose = (code: string) => {
    setTyped(undefined);
    setWrong(undefined);
    if (code !== value) onChange(code);
  };
  const settle = () => {
    if (typed === undefined) return;
    if (!typed.trim()) {
      choose(value);
      return;
    }
    const meant = meantCountry(typed);
    if (meant) {
      choose(meant);
      return;
    }
    const several = found.length > 1;
    setTyped(undefined);
    setWrong(
      `“${typed.trim()}” ${
        several
          ? `can be ${found
              .slice(0, 2)
              .map((one) => one.name)
              .join(" or ")}${found.length > 2 ? ", or another" : ""}`
          : "is no country"
      }${value ? `: it is still ${countryName(value)}` : ""}.`,
    );
  };
  return (
    <Finder
      label={label}
      found={found}
      typed={typed ?? countryName(value)}
      onType={(text) => {
        // The list tells the name that was chosen back to us; only what differs from it was typed.
        setTyped(typed === undefined && text === countryName(value) ? undefined : text);
        setWrong(undefined);
      }}
      onChoose={choose}
      onLeave={settle}
      inputRef={input}
      nothing="No country is called that."
      problem={problem ?? wrong}
      isDisabled={isDisabled ?? false}
    />
  );
}
