import type { AnchorHTMLAttributes, Ref } from "react";
import { Button as AriaButton, type ButtonProps } from "react-aria-components";
import { css, styled } from "styled-components";

import { steady } from "./steady";

const Pressed = styled(AriaButton)`
  display: inline-flex;
  align-items: center;
  justify-content: center;
  gap: 8px;
  min-height: 32px;
  padding: 4px 12px;
  border-radius: var(--corner);
  cursor: pointer;
  border: 1px solid var(--edge);
  background: var(--sheet);
  color: var(--ink);
  font-weight: 600;
  font-size: 14px;
  line-height: 1.3;
  white-space: nowrap;
  &[data-hovered] {
    background: var(--wash);
  }
  &[data-focus-visible] {
    outline: 2px solid var(--verdigris);
    outline-offset: 2px;
  }
  &[data-disabled] {
    opacity: 0.55;
    cursor: default;
  }
  &.main {
    background: var(--verdigris);
    border-color: var(--verdigris);
    color: var(--on-verdigris);
  }
  &.main[data-hovered] {
    background: var(--verdigris-deep);
    border-color: var(--verdigris-deep);
  }
  &.grave {
    border-color: var(--madder);
    color: var(--madder);
  }
  &.grave[data-hovered] {
    background: var(--madder-wash);
  }
  &.plain {
    border-color: transparent;
    background: none;
    padding: 4px 8px;
    color: var(--slate);
    font-weight: 500;
  }
  &.plain[data-hovered] {
    background: var(--wash);
  }
`;

/** What a link looks like that does something at a press. */
export const linkLook = css`
  display: inline-flex;
  align-items: center;
  min-height: 32px;
  padding: 4px 12px;
  border-radius: var(--corner);
  border: 1px solid var(--edge);
  background: var(--sheet);
  color: var(--ink);
  font-weight: 600;
  font-size: 14px;
  line-height: 1.3;
  text-decoration: none;
  &:hover {
    background: var(--wash);
  }
`;

const Looks = styled.a`
  ${linkLook}
`;

/** A link that does something at a press, such as saving a file. */
export function LinkButton(props: AnchorHTMLAttributes<HTMLAnchorElement>) {
  return <Looks {...props} />;
}

interface Props extends ButtonProps {
  /** "main" for the one action of a screen, "plain" for a quiet one, "grave" for what cannot simply be undone. */
  look?: "main" | "plain" | "grave" | undefined;
  ref?: Ref<HTMLButtonElement> | undefined;
}

export const Button = steady(function Button({ look, ref, ...props }: Props) {
  return <Pressed {...props} ref={ref ?? null} className={look ?? ""} />;
}, "onPress");
