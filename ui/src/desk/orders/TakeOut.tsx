// One test sale taken out of the test book, asked about once more.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useNavigate } from "react-router";

import { api, data, type Schemas } from "../../api/client";
import { Confirm } from "../../kit/Confirm";
import { Notice } from "../../kit/Notice";
import { refresh } from "../queries";
import { useRole } from "../room/role";
import { useTo } from "../room/places";
import { useTell } from "../room/told";

export function TakeOut({ code, found }: { code: string; found: Schemas["OrderView"] }) {
  const { mayConfigure } = useRole(code);
  const queries = useQueryClient();
  const navigate = useNavigate();
  const place = useTo();
  const tell = useTell();
  const began = found.subscriptions.some((one) => one.began);
  const taken = useMutation({
    mutationFn: () =>
      data(
        api.DELETE("/desk/api/sites/{site}/test-book/{code}", {
          params: { path: { site: code, code: found.code } },
        }),
      ),
    onSuccess: async (gone) => {
      await navigate(place(`/s/${code}/orders/test`));
      await refresh(queries, code);
      tell(`Taken out: ${gone.orders === 1 ? "one test order" : `${gone.orders} test orders`}.`);
    },
  });
  if (!mayConfigure || (found.subscriptions.length && !began)) return null;
  return (
    <div>
      <Confirm
        look="plain"
        question={
          began
            ? "Remove this test sale, the subscription that it began, and all of its charges?"
            : "Remove this test sale with its papers and payments?"
        }
        sure="Take it out"
        isPending={taken.isPending}
        onConfirm={() => taken.mutate()}
      >
        Take it out of the test book
      </Confirm>
      {taken.error ? <Notice kind="error">{taken.error.message}</Notice> : null}
    </div>
  );
}
