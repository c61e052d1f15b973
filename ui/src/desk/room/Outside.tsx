// Rooms outside of a site: one column, with the mark above.
import type { ReactNode } from "react";
import { Link } from "react-router";
import { styled } from "styled-components";

import { Logo } from "./Logo";

const Room = styled.div`
  max-width: 640px;
  margin: 7vh auto 60px;
  padding: 0 20px;
  display: flex;
  flex-direction: column;
  gap: 18px;
  &.narrow {
    max-width: 400px;
    margin-top: 12vh;
  }
  > header > a,
  > header > .brand {
    display: inline-flex;
    align-items: center;
    gap: 10px;
    font: 650 20px/1 var(--heading);
    color: var(--ink);
    text-decoration: none;
    align-self: flex-start;
  }
  main {
    background: var(--sheet);
    border: 1px solid var(--hairline);
    border-radius: var(--corner);
    padding: 24px;
    display: flex;
    flex-direction: column;
    gap: 20px;
  }
  form {
    display: flex;
    flex-direction: column;
    gap: 16px;
  }
  form button[type="submit"] {
    align-self: flex-start;
  }
`;

export function Outside({
  children,
  narrow,
  home = true,
}: {
  children: ReactNode;
  narrow?: boolean;
  home?: boolean;
}) {
  const brand = (
    <>
      <Logo /> Skurrow
    </>
  );
  return (
    <Room className={narrow ? "narrow" : ""}>
      <header>{home ? <Link to="/">{brand}</Link> : <span className="brand">{brand}</span>}</header>
      <main>{children}</main>
    </Room>
  );
}
