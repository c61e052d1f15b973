import { useEffect, useState, type ReactNode } from "react";

import { Button } from "./Button";

/** Copies a text with one press, and says so. Where the browser forbids it, the text is to be copied by hand. */
export function Copy({ text, children }: { text: string; children: ReactNode }) {
  const [state, setState] = useState<"idle" | "copied" | "forbidden">("idle");
  useEffect(() => {
    if (state === "idle") return;
    const timer = setTimeout(() => setState("idle"), 2500);
    return () => clearTimeout(timer);
  }, [state]);
  const press = () => {
    navigator.clipboard.writeText(text).then(
      () => setState("copied"),
      () => setState("forbidden"),
    );
  };
  return (
    <>
      <Button onPress={press}>{state === "copied" ? "Copied" : children}</Button>
      <span role="status" className="hidden">
        {state === "copied"
          ? "Copied."
          : state === "forbidden"
            ? "The browser forbids it; copy it by hand."
            : ""}
      </span>
    </>
  );
}
