// A room whose sheet edits one part that a site has once: its currencies, its tax, its delivery.
import { useQuery } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { useParams } from "react-router";

import { fieldProblem, type Schemas } from "../../api/client";
import { Sheet } from "../../kit/Sheet";
import { WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { part } from "../queries";
import { useRole } from "../room/role";
import { useDraft } from "./useDraft";

interface Props {
  /** The line of links to the stage's rooms. */
  rooms: ReactNode;
  name: string;
  kind: Schemas["Part"]["kind"];
  children: (code: string, view: Schemas["PartView"]) => ReactNode;
}

export function PartRoom({ rooms, name, kind, children }: Props) {
  const { site: code = "" } = useParams();
  const asked = useQuery(part(code, kind, "-"));
  return (
    <WithRooms>
      {rooms}
      <Sheet tabIndex={-1} aria-label={name}>
        {asked.data ? (
          children(code, asked.data)
        ) : (
          <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />
        )}
      </Sheet>
    </WithRooms>
  );
}

/** The part that such a room edits: its draft, what is wrong with it by path, and whether it may only be read. */
export function useSinglePart(code: string, view: Schemas["PartView"]) {
  const draft = useDraft(code, view.part);
  const { mayConfigure } = useRole(code);
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const problem = (path: string) =>
    fieldProblem(error, path) ?? fieldProblem(error, `${view.part.kind}.${path}`);
  return { draft, problem, off: !mayConfigure };
}
