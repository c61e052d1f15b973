// Light or dark: as the system says, unless somebody says otherwise here.
import { useState } from "react";

export type Scheme = "auto" | "light" | "dark";

export const SCHEMES: readonly (readonly [Scheme, string])[] = [
  ["auto", "as the system is"],
  ["light", "always light"],
  ["dark", "always dark"],
];

const NAME = "scheme";

function kept(): Scheme {
  try {
    const found = localStorage.getItem(NAME);
    return found === "light" || found === "dark" ? found : "auto";
  } catch {
    return "auto";
  }
}

/** Puts what was chosen on the page; called once, before anything is shown. */
export function applyScheme(scheme: Scheme = kept()) {
  if (scheme === "auto") delete document.documentElement.dataset.scheme;
  else document.documentElement.dataset.scheme = scheme;
}

export function useScheme(): [Scheme, (scheme: Scheme) => void] {
  const [scheme, setScheme] = useState(kept);
  return [
    scheme,
    (next) => {
      setScheme(next);
      applyScheme(next);
      try {
        localStorage.setItem(NAME, next);
      } catch {
        // Nothing is kept; it holds for as long as the page is open.
      }
    },
  ];
}
