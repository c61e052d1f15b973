import type { ReactNode } from "react";
import { styled } from "styled-components";

const Room = styled.div`
  padding: 40px 24px;
  max-width: 480px;
  display: flex;
  flex-direction: column;
  gap: 12px;
  align-items: flex-start;
  h1 {
    font-size: 22px;
  }
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
      <h1>{title}</h1>
      <p>{children}</p>
      {action}
    </Room>
  );
}
