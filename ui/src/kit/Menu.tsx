import type { ReactNode } from "react";
import { Menu as AriaMenu, MenuItem, MenuSection, MenuTrigger, Popover, Header } from "react-aria-components";
import { styled } from "styled-components";

import { Button } from "./Button";

const Sheeted = styled(Popover)`
  min-width: 220px;
  background: var(--tape);
  border: 1px solid var(--edge);
  border-radius: var(--corner);
  box-shadow: 0 6px 22px var(--shade);
  padding: 4px 0;
  header {
    padding: 8px 14px 2px;
    font-size: 12.5px;
    color: var(--pencil);
  }
`;

const Entry = styled(MenuItem)`
  padding: 6px 14px;
  outline: none;
  cursor: pointer;
  border-left: 3px solid transparent;
  color: var(--ink);
  text-decoration: none;
  display: block;
  &[data-focused] {
    background: var(--wash);
    border-left-color: var(--verdigris);
  }
`;

export interface MenuEntry {
  key: string;
  words: string;
}

/** A button with a list of things to do or to go to. */
export function Menu({
  label,
  children,
  sections,
  onChoose,
}: {
  label: string;
  children: ReactNode;
  sections: readonly { title?: string; entries: readonly MenuEntry[] }[];
  onChoose: (key: string) => void;
}) {
  return (
    <MenuTrigger>
      <Button look="plain" aria-label={label}>
        {children}
      </Button>
      <Sheeted>
        <AriaMenu onAction={(key) => onChoose(String(key))} aria-label={label}>
          {sections.map(({ title, entries }, i) => (
            <MenuSection key={title ?? i} aria-label={title ?? label}>
              {title ? <Header>{title}</Header> : null}
              {entries.map((entry) => (
                <Entry key={entry.key} id={entry.key}>
                  {entry.words}
                </Entry>
              ))}
            </MenuSection>
          ))}
        </AriaMenu>
      </Sheeted>
    </MenuTrigger>
  );
}
