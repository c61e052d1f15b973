// What was archived of a kind: below its list, opened by whoever looks for it, and brought back by one press.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, data, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";
import { when } from "../../kit/format/when";
import { archived, refresh } from "../queries";
import { useGo } from "../room/places";
import { useRole } from "../room/role";
import { useTell } from "../room/told";
import type { ListKind } from "./editHistory";

export function Archived({ code, kind, to }: { code: string; kind: ListKind; to: string }) {
  const asked = useQuery(archived(code, kind));
  const [open, setOpen] = useState(false);
  if (!asked.data?.length) return null;
  return (
    <div className="top more">
      <Button look="plain" aria-expanded={open} onPress={() => setOpen(!open)}>
        Archived: {asked.data.length}
      </Button>
      {open
        ? asked.data.map((one) => (
            <div key={one.id}>
              <strong>{one.name}</strong>
              <p className="quiet">
                {when(one.at)}
                {one.by ? `, ${one.by}` : ""}
              </p>
              <BringBack code={code} kind={kind} id={one.id} name={one.name} change={one.change} to={to} />
            </div>
          ))
        : null}
    </div>
  );
}

interface Props {
  code: string;
  kind: ListKind;
  id: string;
  name: string;
  change: number;
  to: string;
}

function BringBack({ code, kind, id, name, change, to }: Props) {
  const queries = useQueryClient();
  const tell = useTell();
  const go = useGo();
  const { mayConfigure } = useRole(code);
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/parts/{kind}/{part_id}/taken-back", {
          params: { path: { site: code, kind, part_id: id } },
          body: { change },
        }),
      ),
    onSuccess: async () => {
      await refresh(queries, code);
      tell(`${name} is back.`);
      go(`${to}/${id}`);
    },
  });
  if (!mayConfigure) return null;
  return (
    <>
      {asked.error ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : asked.error.message}
        </Notice>
      ) : null}
      <Button isPending={asked.isPending} onPress={() => asked.mutate()}>
        Bring back
      </Button>
    </>
  );
}
