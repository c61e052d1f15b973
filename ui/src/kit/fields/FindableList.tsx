// The list of a stage: found by typing, paged, one stop of the Tab key, arrows within.
import { useRef, type KeyboardEvent, type ReactNode } from "react";

import { Button } from "../Button";
import { Field } from "./Field";
import { Side } from "../Sheet";

interface Props {
  label: string;
  /** What the search field is called, and what stands in it while it is empty. */
  find: string;
  placeholder?: string;
  search: string;
  onSearch: (text: string) => void;
  /** How many there are that fit. */
  total?: number | undefined;
  more?: { load: () => void; loading: boolean } | undefined;
  above?: ReactNode;
  action?: ReactNode;
  nothing?: string | undefined;
  /** What stands below the list. */
  below?: ReactNode;
  children: ReactNode;
}

export function FindableList({
  label,
  find,
  placeholder = find,
  search,
  onSearch,
  total,
  more,
  above,
  action,
  nothing,
  below,
  children,
}: Props) {
  const list = useRef<HTMLUListElement>(null);
  const move = (event: KeyboardEvent) => {
    const step = { ArrowDown: 1, ArrowUp: -1, Home: -Infinity, End: Infinity }[event.key];
    if (step === undefined || !list.current) return;
    const links = [...list.current.querySelectorAll<HTMLElement>("a")];
    const at = links.indexOf(document.activeElement as HTMLElement);
    const next = links[Math.max(0, Math.min(links.length - 1, at + step))];
    if (!next) return;
    event.preventDefault();
    next.focus();
  };
  return (
    <Side aria-label={label}>
      <div className="top">
        {above}
        <div
          onKeyDown={(event) => {
            if (event.key === "ArrowDown") move(event);
          }}
        >
          <Field
            label={find}
            bare
            placeholder={placeholder}
            value={search}
            onChange={onSearch}
            type="search"
          />
        </div>
        {action}
        {search.trim() && total !== undefined ? (
          <p className="quiet" role="status">
            {total === 0 ? (nothing ?? "Nothing is called that.") : total === 1 ? "1 fits" : `${total} fit`}
          </p>
        ) : null}
      </div>
      <ul ref={list} onKeyDown={move}>
        {children}
      </ul>
      {more ? (
        <div className="top more">
          <Button onPress={more.load} isPending={more.loading}>
            Show more
          </Button>
        </div>
      ) : null}
      {below}
    </Side>
  );
}
