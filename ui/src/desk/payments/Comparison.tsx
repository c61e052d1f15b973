// Our books beside the gateway's.
import { useQueryClient, useQuery, useMutation } from "@tanstack/react-query";
import { data, api } from "../../api/client";
import { Button } from "../../kit/Button";
import { when } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { comparison, refresh } from "../queries";
import { useRole } from "../room/role";

const DIFFERENCES = {
  only_there: "is in the gateway’s books and not in ours",
  only_here: "is in our books and not in the gateway’s",
  amount: "has another amount there",
} as const;

/** What came of comparing our books with the gateway's: every night, and when somebody presses. */
export function Comparison({ code, connection }: { code: string; connection: string }) {
  const queries = useQueryClient();
  const { mayConfigure } = useRole(code);
  const found = useQuery(comparison(code, connection)).data;
  const compare = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/connections/{connection}/comparisons", {
          params: { path: { site: code, connection } },
        }),
      ),
    onSuccess: () => refresh(queries, code, "comparison", connection),
  });
  const movements = found?.entries === 1 ? "1 movement" : `${found?.entries ?? 0} movements`;
  return (
    <>
      {found ? (
        <p>
          Books compared {when(found.at)}: {movements} of money since {when(found.since)}
          {found.differences.length ? "." : ", and both sides agree."}
        </p>
      ) : (
        <p className="quiet">The books are compared every night.</p>
      )}
      {found?.differences.length ? (
        <Notice kind="error" title="The books differ. Somebody has to look.">
          <ul>
            {found.differences.map((one) => (
              <li key={`${one.kind} ${one.key}`}>
                A {one.kind} of {one.currency} {one.ours ?? one.theirs} {DIFFERENCES[one.code]}
                {one.code === "amount" ? `: ${one.theirs}` : ""}
                {one.order ? `, order ${one.order}` : ""} (<span className="mono">{one.key}</span>).
              </li>
            ))}
          </ul>
        </Notice>
      ) : null}
      {compare.error ? <Notice kind="error">{compare.error.message}</Notice> : null}
      {mayConfigure ? (
        <div>
          <Button look="plain" isPending={compare.isPending} onPress={() => compare.mutate()}>
            Compare the books now
          </Button>
        </div>
      ) : null}
    </>
  );
}
