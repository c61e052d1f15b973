// A file that is read in two steps: shown what it would change, then stored as it was shown.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { refresh } from "../queries";
import { sendAll } from "./savers";
import { useTell } from "../room/told";

interface Steps<View> {
  code: string;
  /** Asks what the text would do or, with the change that this was shown for, does it. */
  ask: (text: string, seen: number | null) => Promise<View>;
  isDone: (view: View) => boolean;
  said: string;
}

export function useFileIn<View extends { change: number }>({ code, ask, isDone, said }: Steps<View>) {
  const queries = useQueryClient();
  const tell = useTell();
  const [file, setFile] = useState<{ text: string; name: string }>();
  const after = async (text: string, seen: number | null) => {
    await sendAll(); // what is still being typed counts, too
    return ask(text, seen);
  };
  const shown = useMutation({ mutationFn: (text: string) => after(text, null) });
  const stored = useMutation({
    mutationFn: (view: View) => after(file?.text ?? "", view.change),
    onSuccess: async (done) => {
      if (!isDone(done)) return;
      setFile(undefined);
      shown.reset();
      await refresh(queries, code);
      tell(said);
    },
  });
  const take = (text: string, name: string) => {
    setFile({ text, name });
    stored.reset();
    shown.mutate(text);
  };
  const refused = stored.data && !isDone(stored.data) ? stored.data : undefined;
  return {
    file,
    take,
    view: refused ?? shown.data,
    error: shown.error ?? stored.error,
    isReading: shown.isPending,
    isStoring: stored.isPending,
    store: stored.mutate,
  };
}
