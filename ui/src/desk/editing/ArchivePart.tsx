import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, data, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";
import { Section } from "../../kit/Sheet";
import type { Part } from "./DraftSaver";
import { historyOf, whyNotUndone, type ListKind } from "./editHistory";
import { useGo } from "../room/places";
import { refresh, running } from "../queries";
import { sendAll } from "./savers";
import { useTell } from "../room/told";
import { shown } from "./useDraft";

const WHAT: Record<ListKind, string> = {
  product: "It is not sold any more after the next release; orders keep it.",
  coupon: "Nobody can use it any more after the next release; orders keep it.",
  checkout: "Its address says that it is not sold any more after the next release; orders keep it.",
  stand_in_buyer: "No tape can be made out to it any more.",
};

/** Archives a part at one press: the way back is offered where it was said. */
export function ArchivePart({
  code,
  part,
  name,
  to,
}: {
  code: string;
  part: Part;
  name: string;
  to: string;
}) {
  const queries = useQueryClient();
  const tell = useTell();
  const go = useGo();
  const kind = part.kind as ListKind;
  const undo = async () => {
    try {
      const done = await historyOf(code).undo();
      if (done) shown(queries, code, done.part);
      go(`${to}/${part.id}`);
    } catch (error) {
      tell(whyNotUndone(error));
    }
  };
  const asked = useMutation({
    mutationFn: async () => {
      await sendAll();
      return data(
        api.DELETE("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
          params: { path: { site: code, kind, part_id: part.id }, query: { seen: part.change } },
        }),
      );
    },
    onSuccess: async (archived) => {
      historyOf(code).note(archived, name, part.body);
      go(to, { replace: true });
      tell(`Archived: ${name}.`, () => void undo());
      await refresh(queries, code);
    },
  });
  return (
    <Section aria-label="Archive">
      {asked.error ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : "It was not archived."}
        </Notice>
      ) : null}
      {kind === "product" ? <Running code={code} product={part.id} /> : null}
      <p className="quiet">
        <Button isPending={asked.isPending} onPress={() => asked.mutate()}>
          Archive
        </Button>{" "}
        {WHAT[kind]}
      </p>
    </Section>
  );
}

/** Archived, a product goes on for who has it: said before. */
function Running({ code, product }: { code: string; product: string }) {
  const { data: found } = useQuery(running(code, product));
  if (!found || found.live + found.test === 0) return null;
  const many = (count: number, whose: string) =>
    count ? `${count} ${count === 1 ? "subscription" : "subscriptions"} of ${whose} buyers` : "";
  const told = [many(found.live, "real"), many(found.test, "test")].filter(Boolean).join(" and ");
  return (
    <p>
      {told} {found.live + found.test === 1 ? "runs" : "run"} on it. Archived, it is charged on as promised,
      and its customers can change plan and cancel as before; end them under Subscriptions where they are to
      end.
    </p>
  );
}
