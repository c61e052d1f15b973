// Addresses at the desk: the screen and what is chosen on it are the path, whom the tape is made out to the rest.
// A link to another screen takes the tape along.
import { forwardRef } from "react";
import { Link, useLocation, useNavigate, type LinkProps } from "react-router";
import { useCallback } from "react";
import { styled } from "styled-components";

import { linkLook } from "../../kit/Button";

/** What of an address belongs to the tape, and goes along. */
const ALONG = ["buyer", "beside", "country", "currency", "business", "card", "on", "quantity"];

export function along(search: string): string {
  const all = new URLSearchParams(search);
  const kept = new URLSearchParams();
  for (const name of ALONG) {
    const value = all.get(name);
    if (value) kept.set(name, value);
  }
  const text = kept.toString();
  return text ? `?${text}` : "";
}

/** Goes to a path, with the tape. */
export function useGo() {
  const navigate = useNavigate();
  const { search } = useLocation();
  return useCallback(
    (path: string, options?: { replace?: boolean }) =>
      void navigate({ pathname: path, search: along(search) }, options),
    [navigate, search],
  );
}

/** A path with the tape, for links that are no `To`. */
export function useTo() {
  const { search } = useLocation();
  return useCallback((path: string) => ({ pathname: path, search: along(search) }), [search]);
}

export const To = forwardRef<HTMLAnchorElement, Omit<LinkProps, "to"> & { to: string }>(function To(
  { to, ...props },
  ref,
) {
  const place = useTo();
  return <Link {...props} ref={ref} to={place(to)} />;
});

/** A link to the next step, that looks like a button. */
export const ToButton = styled(To)`
  ${linkLook}
`;
