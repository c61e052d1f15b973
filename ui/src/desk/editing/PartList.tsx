// The list of a stage's parts: found by name, paged, the chosen one marked.
import type { ReactNode } from "react";

import type { Schemas } from "../../api/client";
import { FindableList } from "../../kit/fields/FindableList";
import { SideLink } from "../../kit/Sheet";
import { useTo } from "../room/places";
import { Archived } from "./Archived";
import type { ListKind } from "./editHistory";

interface Asked {
  data: { pages: Schemas["PartList"][] };
  hasNextPage: boolean;
  isFetchingNextPage: boolean;
  fetchNextPage: () => unknown;
}

interface Props {
  code: string;
  kind: ListKind;
  /** What one of them is called, as in "product". */
  one: string;
  label: string;
  asked: Asked;
  search: string;
  onSearch: (text: string) => void;
  /** The address of a part, up to its id. */
  to: string;
  chosen: string | undefined;
  action: ReactNode;
}

export function PartList({ code, kind, one, label, asked, search, onSearch, to, chosen, action }: Props) {
  const place = useTo();
  return (
    <FindableList
      label={label}
      find={`Find a ${one}`}
      search={search}
      onSearch={onSearch}
      total={asked.data.pages[0]?.total}
      nothing={`No ${one} is called that.`}
      more={
        asked.hasNextPage
          ? { load: () => void asked.fetchNextPage(), loading: asked.isFetchingNextPage }
          : undefined
      }
      action={action}
      below={<Archived code={code} kind={kind} to={to} />}
    >
      {asked.data.pages
        .flatMap((page) => page.parts)
        .map((line) => (
          <li key={line.id}>
            <SideLink
              to={place(`${to}/${line.id}`)}
              className={line.id === chosen ? "active" : ""}
              aria-current={line.id === chosen ? "page" : undefined}
            >
              <strong>{line.name}</strong>
              <span>{line.words}</span>
            </SideLink>
          </li>
        ))}
    </FindableList>
  );
}
