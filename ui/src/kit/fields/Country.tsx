import { useMemo, useState } from "react";

import { Finder } from "./Finder";
import { COUNTRIES, countryName } from "../format/countries";

interface Props {
  label: string;
  value: string;
  onChange: (code: string) => void;
  problem?: string | undefined;
  isDisabled?: boolean;
}

/** A country, found by part of its name or its two letters. */
export function Country({ label, value, onChange, problem, isDisabled }: Props) {
  const [typed, setTyped] = useState<string>();
  const found = useMemo(() => {
    const sought = (typed ?? "").trim().toLowerCase();
    return COUNTRIES.filter(
      ([code, name]) => name.toLowerCase().includes(sought) || code.toLowerCase() === sought,
    )
      .slice(0, 60)
      .map(([code, name]) => ({ key: code, name, kind: code }));
  }, [typed]);
  return (
    <Finder
      label={label}
      found={found}
      typed={typed ?? countryName(value)}
      onType={setTyped}
      onChoose={(code) => {
        setTyped(undefined);
        onChange(code);
      }}
      nothing="No country is called that."
      problem={problem}
      isDisabled={isDisabled ?? false}
    />
  );
}
