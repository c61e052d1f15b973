import type { ReactNode } from "react";
import { styled } from "styled-components";

const Line = styled.label`
  display: flex;
  gap: 8px;
  align-items: baseline;
  padding: 3px 0;
  input {
    accent-color: var(--verdigris);
    flex: none;
  }
`;

/** One thing that is so, or not: the browser's own box. */
export function Tick({
  on,
  onChange,
  children,
}: {
  on: boolean;
  onChange: (on: boolean) => void;
  children: ReactNode;
}) {
  return (
    <Line>
      <input type="checkbox" checked={on} onChange={(event) => onChange(event.target.checked)} />
      <span>{children}</span>
    </Line>
  );
}

/** Several of them under one question. */
export const Ticks = styled.fieldset`
  border: 0;
  padding: 0;
  margin: 0;
  legend {
    padding: 0 0 4px;
  }
`;
