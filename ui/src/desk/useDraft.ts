// An editor's hold on a part of the draft.
import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState, useSyncExternalStore } from "react";

import type { Schemas } from "../api/client";
import { DraftSaver, type PartBody } from "./DraftSaver";
import { refresh } from "./queries";

type Part = Schemas["Part"];

/** Edits `part`; `save` writes it. An editor of another part is another component (give it the part's id as key). */
export function useDraft(
  part: Part,
  save: (seen: number, body: PartBody) => Promise<Part>,
  queryKey: readonly string[],
) {
  const queries = useQueryClient();
  const [saver] = useState(
    () =>
      new DraftSaver(part, save, (saved) => {
        queries.setQueryData<Schemas["Parts"]>(queryKey, (old) =>
          old ? { ...old, parts: old.parts.map((one) => (one.id === saved.id ? saved : one)) } : old,
        );
        void refresh(queries, queryKey[1] ?? "");
      }),
  );
  const { body, state } = useSyncExternalStore(saver.subscribe, saver.snapshot);
  useEffect(() => {
    const leave = (event: BeforeUnloadEvent) => {
      if (saver.unsaved) event.preventDefault();
    };
    window.addEventListener("beforeunload", leave);
    return () => {
      window.removeEventListener("beforeunload", leave);
      void saver.send();
    };
  }, [saver]);
  return { body, state, edit: saver.edit, keepMine: saver.keepMine, takeTheirs: saver.takeTheirs };
}
