// In which language mails are looked at: it stands in the address.
import { useSearchParams } from "react-router";

import { LANGUAGES, type Language } from "./own";

export function useLanguage(): [Language, (language: Language) => void] {
  const [params, setParams] = useSearchParams();
  const asked = params.get("language");
  const language = LANGUAGES.find(([code]) => code === asked)?.[0] ?? "en";
  const choose = (next: Language) =>
    setParams(
      (old) => {
        const changed = new URLSearchParams(old);
        if (next === "en") changed.delete("language");
        else changed.set("language", next);
        return changed;
      },
      { replace: true },
    );
  return [language, choose];
}
