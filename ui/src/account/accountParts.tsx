// What the parts of the account page share.
import { useMemo, type ReactNode } from "react";
import { styled } from "styled-components";

import type { Schemas } from "../api/client";
import { framed, type AccountBoot } from "../counter/boot";

export type Mine = Schemas["MyAccount"];
export type Done = Schemas["AccountDone"];

/** What the parts of the account page are given: the page, what is the customer's, and to load it anew. */
export interface Common {
  boot: AccountBoot;
  mine: Mine;
  onChange: () => Promise<void>;
}

/** What every question of this page has in common. */
export function useAt(boot: AccountBoot) {
  const { code, mode } = boot;
  return useMemo(() => ({ params: { path: { code }, query: { test: mode === "test" } } }), [code, mode]);
}

/** From within the website’s own page other pages open in windows of their own. */
export const away = framed ? ({ target: "_blank", rel: "noopener" } as const) : {};

/** A form whose fields stand among the others; pressing enter sends it. */
export function Filled({ onSend, children }: { onSend: () => void; children: ReactNode }) {
  return (
    <form
      noValidate
      style={{ display: "contents" }}
      onSubmit={(event) => {
        event.preventDefault();
        onSend();
      }}
    >
      {children}
    </form>
  );
}

/** Choices one below the other. */
export const Choices = styled.fieldset`
  border: 0;
  margin: 0;
  padding: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
  label {
    display: flex;
    gap: 10px;
    align-items: center;
    min-height: 44px;
  }
  input {
    width: 20px;
    height: 20px;
    accent-color: var(--brand);
  }
`;
