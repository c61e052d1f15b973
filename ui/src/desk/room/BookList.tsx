// Every list of sales: its two books, filters and search above, what was found, and one of it beside.
import { type UseInfiniteQueryResult } from "@tanstack/react-query";
import { type ReactNode } from "react";
import { NavLink } from "react-router";
import { styled } from "styled-components";

import { Empty } from "../../kit/Empty";
import { FindableList } from "../../kit/fields/FindableList";
import { Sheet, SideLink } from "../../kit/Sheet";
import { type Mode } from "../queries";
import { ToButton, useTo } from "./places";
import { OrderRooms, WithRooms } from "./StageRooms";
import { Waiting } from "./Waiting";

const Tabs = styled.div<{ $wide: boolean }>`
  display: flex;
  gap: ${({ $wide }) => ($wide ? "16px" : "4px")};
  ${({ $wide }) => ($wide ? "" : "border-bottom: 1px solid var(--hairline); margin: 0 -12px; padding: 0 12px;")}
  a {
    padding: ${({ $wide }) => ($wide ? "0" : "5px 8px 7px")};
    text-decoration: none;
    color: var(--pencil);
    font-weight: 600;
    border-bottom: 3px solid transparent;
  }
  a.active {
    color: var(--ink);
    border-color: var(--verdigris);
  }
`;

/** The two books of a room, one of them open; wide where they do not stand above a list. */
export function Books({ code, room, wide = false }: { code: string; room: string; wide?: boolean }) {
  const place = useTo();
  return (
    <Tabs $wide={wide}>
      <NavLink to={place(`/s/${code}/${room}/test`)}>Test book</NavLink>
      <NavLink to={place(`/s/${code}/${room}/live`)}>Live book</NavLink>
    </Tabs>
  );
}

/** The pages of the test book are hatched along their edge. */
const Page = styled(Sheet)`
  &.test > nav {
    padding-left: 8px;
    background: repeating-linear-gradient(-45deg, var(--edge) 0 2px, transparent 2px 7px) left / 7px 100%
      no-repeat;
  }
`;

const Column = styled.div`
  flex: 1;
  min-width: 0;
  display: flex;
  flex-direction: column;
`;

interface Props<Found extends { code: string; name: string }> {
  code: string;
  /** The room's path and title, and what one of its entries is called: "orders", "Orders", "order". */
  room: string;
  title: string;
  one: string;
  book: Mode;
  asked: Pick<
    UseInfiniteQueryResult<{ pages: unknown[] }>,
    "data" | "failureCount" | "refetch" | "hasNextPage" | "fetchNextPage" | "isFetchingNextPage"
  >;
  found: readonly Found[];
  /** Which is open beside the list. */
  chosen: string | undefined;
  search: string;
  onSearch: (text: string) => void;
  placeholder: string;
  /** Filters, and whether they or the search leave anything out. */
  filters: ReactNode;
  narrowed: boolean;
  /** The second and third line of an entry. */
  line: (entry: Found) => ReactNode;
  /** What stands above whatever is open. */
  above?: ReactNode;
  detail: (code: string) => ReactNode;
  /** What is said where there is nothing: of what ("sale"), of a search, and of a book that is empty. */
  nothing: { yet: string; narrowed: string; test: string; live: string };
}

export function BookList<Found extends { code: string; name: string }>(props: Props<Found>) {
  const { code, room, title, one, book, asked, found, chosen, narrowed, nothing } = props;
  const place = useTo();
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const article = /^[aeiou]/.test(one) ? "an" : "a";
  return (
    <WithRooms>
      <OrderRooms />
      <Page tabIndex={-1} aria-label={title} className={book}>
        <FindableList
          label={`${title} of the ${book} book`}
          find={`Find ${article} ${one}`}
          placeholder={props.placeholder}
          search={props.search}
          onSearch={props.onSearch}
          nothing={`No ${one} fits.`}
          above={
            <>
              <Books code={code} room={room} />
              {props.filters}
            </>
          }
          more={
            asked.hasNextPage
              ? { load: () => void asked.fetchNextPage(), loading: asked.isFetchingNextPage }
              : undefined
          }
        >
          {found.map((entry) => (
            <li key={entry.code}>
              <SideLink
                to={place(`/s/${code}/${room}/${book}/${entry.code}`)}
                className={entry.code === chosen ? "active" : ""}
                aria-current={entry.code === chosen ? "page" : undefined}
              >
                <strong>{entry.name}</strong>
                <span>{props.line(entry)}</span>
              </SideLink>
            </li>
          ))}
        </FindableList>
        <Column>
          {props.above}
          {chosen ? (
            props.detail(chosen)
          ) : (
            <Empty
              action={
                narrowed ? undefined : book === "test" ? (
                  <ToButton to={`/s/${code}/checkouts`}>Try a checkout out</ToButton>
                ) : (
                  <ToButton to={`/s/${code}/on-sale`}>What opening takes</ToButton>
                )
              }
              title={narrowed ? `No ${one} fits` : `No ${book === "test" ? "test " : ""}${nothing.yet} yet`}
            >
              {narrowed ? nothing.narrowed : nothing[book]}
            </Empty>
          )}
        </Column>
      </Page>
    </WithRooms>
  );
}
