import type { ReactNode } from "react";
import { styled } from "styled-components";

const Bar = styled.div`
  padding: 10px 14px;
  border-left: 3px solid var(--slate);
  background: var(--wash);
  border-radius: 0 var(--corner) var(--corner) 0;
  font-size: 14px;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
  > div {
    flex: 1 1 240px;
  }
  strong {
    display: block;
  }
  &.attention {
    border-color: var(--saffron);
    background: var(--saffron-wash);
  }
  &.error {
    border-color: var(--madder);
    background: var(--madder-wash);
  }
`;

interface Props {
  kind?: "information" | "attention" | "error";
  title?: string;
  children?: ReactNode;
  actions?: ReactNode;
}

/** Something to know, beside what it is about. Errors are announced at once, the rest when there is time. */
export function Notice({ kind = "information", title, children, actions }: Props) {
  return (
    <Bar className={kind} role={kind === "error" ? "alert" : "status"}>
      <div>
        {title ? <strong>{title}</strong> : null}
        {children}
      </div>
      {actions}
    </Bar>
  );
}
