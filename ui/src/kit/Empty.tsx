import type { ReactNode } from "react";
import { styled } from "styled-components";

const Room = styled.div`
  padding: 40px 24px;
  max-width: 480px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  align-items: flex-start;
  p {
    color: var(--pencil);
  }
`;

/** An empty place: says what goes there, and offers the first step. */
export function Empty({
  title,
  children,
  action,
}: {
  title: string;
  children: ReactNode;
  action?: ReactNode;
}) {
  return (
    <Room>
      <h2>{title}</h2>
      <p>{children}</p>
      {action}
    </Room>
  );
}
