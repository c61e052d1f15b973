// An editor's hold on a part of the draft.
import { useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";

import { api, data, type Schemas } from "../../api/client";
import { DraftSaver, type Part } from "./DraftSaver";
import { historyOf } from "./editHistory";
import { madeHere, whoMade } from "../room/live";
import { me, part as partQuery, refresh } from "../queries";
import { kindWords } from "./kindWords";
import { anyUnsaved, letGo, saverOf } from "./savers";

/** Lets everything that shows a part know how it stands now. */
export function shown(queries: QueryClient, code: string, part: Part) {
  historyOf(code).seen(part);
  madeHere(code, part.change);
  const key = partQuery(code, part.kind, part.id).queryKey;
  queries.setQueryData<Schemas["PartView"]>(key, (old) =>
    old && part.body !== null ? { ...old, part } : old,
  );
  void refresh(queries, code);
}

const nameOf = (part: Part) => {
  const body = (part.body ?? {}) as { owner_name?: string; name?: string };
  return body.owner_name ?? body.name ?? (part.id === "-" ? kindWords(part.kind) : part.id);
};

/** Edits `part`. An editor of another part is another component (give it the part's id as key). */
export function useDraft(code: string, part: Part) {
  const queries = useQueryClient();
  const key = `${code}/${part.kind}/${part.id}`;
  const [saver] = useState(() =>
    saverOf(key, queries.getQueryData(me.queryKey)?.email ?? "", (keeper) => {
      const path = { site: code, kind: part.kind, part_id: part.id };
      return new DraftSaver(
        part,
        (seen, body) =>
          data(
            api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
              params: { path },
              body: { seen, body },
            }),
          ),
        (saved, before) => {
          if (saved.body !== before) historyOf(code).note(saved, nameOf(saved), before);
          shown(queries, code, saved);
        },
        keeper,
      );
    }),
  );
  const { body, state } = useSyncExternalStore(saver.subscribe, saver.snapshot);
  useEffect(() => {
    saver.adopt(part, whoMade(code, part.change));
    historyOf(code).seen(part);
  }, [saver, part, code]);
  useEffect(
    () => () => {
      void saver.send().then(() => letGo(key));
    },
    [saver, key],
  );
  const { edit, keepMine, keepBoth, takeTheirs, subscribe, snapshot } = saver;
  return { body, state, edit, keepMine, keepBoth, takeTheirs, subscribe, snapshot };
}

/** The browser asks before a window is closed in which something has not been stored. */
export function useWarning() {
  useEffect(() => {
    const leave = (event: BeforeUnloadEvent) => {
      if (anyUnsaved()) event.preventDefault();
    };
    window.addEventListener("beforeunload", leave);
    return () => window.removeEventListener("beforeunload", leave);
  }, []);
}
