// A part in its list: copied, moved up and down.
import { memo } from "react";
import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";

import { api, data, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";
import { Section } from "../../kit/Sheet";
import { historyOf, type ListKind } from "./editHistory";
import { useGo } from "../room/places";
import { parts, refresh } from "../queries";
import { sendAll } from "./savers";
import { useTell } from "../room/told";

/** Behind which part it goes, and behind which it stood: null is the first place. */
interface Way {
  after: string | null;
  back?: string | null;
}

interface Props {
  code: string;
  kind: ListKind;
  id: string;
  to: string;
}

export const Arrange = memo(function Arrange({ code, kind, id, to }: Props) {
  const queries = useQueryClient();
  const go = useGo();
  const tell = useTell();
  const asked = useInfiniteQuery(parts(code, kind, ""));
  const ids = asked.data?.pages.flatMap((page) => page.parts.map((one) => one.id)) ?? [];
  const at = ids.indexOf(id);
  const path = { site: code, kind, part_id: id };
  const copy = useMutation({
    mutationFn: async () => {
      await sendAll();
      return data(api.POST("/desk/api/sites/{site}/parts/{kind}/{part_id}/copy", { params: { path } }));
    },
    onSuccess: async (made) => {
      historyOf(code).note(made, id, null);
      await refresh(queries, code);
      go(`${to}/${made.id}`);
      tell("A copy was made. You are looking at it.");
    },
  });
  const move = useMutation({
    mutationFn: async ({ after }: Way) => {
      await sendAll();
      return data(
        api.POST("/desk/api/sites/{site}/parts/{kind}/{part_id}/move", { params: { path }, body: { after } }),
      );
    },
    onSuccess: async (moved, { back }) => {
      historyOf(code).seen(moved);
      await refresh(queries, code);
      if (back === undefined) tell("It is where it was.");
      else tell("Moved.", () => move.mutate({ after: back }));
    },
  });
  const moveBehind = (after: string | null) => move.mutate({ after, back: ids[at - 1] ?? null });
  const error = copy.error ?? move.error;
  return (
    <Section aria-label="Copy and order">
      {error ? (
        <Notice kind="error">
          {error instanceof Refused ? error.problem.detail : "It was not done. Try again."}
        </Notice>
      ) : null}
      <div>
        <Button isPending={copy.isPending} onPress={() => copy.mutate()}>
          Make a copy
        </Button>{" "}
        <Button
          isDisabled={at < 1}
          isPending={move.isPending}
          onPress={() => moveBehind(ids[at - 2] ?? null)}
        >
          Move up
        </Button>{" "}
        <Button
          isDisabled={at < 0 || at >= ids.length - 1}
          isPending={move.isPending}
          onPress={() => moveBehind(ids[at + 1] ?? null)}
        >
          Move down
        </Button>
      </div>
    </Section>
  );
});
