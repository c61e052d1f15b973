// Undoing and doing again, wherever one is.
import { useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { useHistory, whyNotUndone } from "../editing/editHistory";
import { sendAll, openSaver } from "../editing/savers";
import { shown } from "../editing/useDraft";
import { useTell } from "../room/told";

export function Turn({ forward }: { forward?: boolean }) {
  return (
    <svg
      width="18"
      height="18"
      viewBox="0 0 18 18"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.8"
      strokeLinecap="round"
      aria-hidden="true"
      style={forward ? { transform: "scaleX(-1)" } : undefined}
    >
      <path d="M3 7.5h7.5a4 4 0 0 1 0 8H7" />
      <path d="M6.2 4 2.8 7.5l3.4 3.4" />
    </svg>
  );
}

export function useUndo(code: string) {
  const { history, undo, redo } = useHistory(code);
  const queries = useQueryClient();
  const tell = useTell();
  const step = useCallback(
    async (which: "undo" | "redo") => {
      await sendAll();
      try {
        const done = await history[which]();
        if (!done) return;
        shown(queries, code, done.part);
        openSaver(`${code}/${done.part.kind}/${done.part.id}`)?.adopt(done.part);
        tell(`${done.words}.`);
      } catch (error) {
        tell(whyNotUndone(error));
      }
    },
    [history, queries, code, tell],
  );
  return { undo, redo, step };
}
