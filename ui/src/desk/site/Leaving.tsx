// A site that is no longer wanted: archived where it has sold, deleted where it never did.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Section } from "../../kit/Sheet";
import { when } from "../../kit/format/when";
import { refresh } from "../queries";

export function Leaving({ code, site }: { code: string; site: Schemas["SiteView"] }) {
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: (archived: boolean) =>
      data(
        api.PUT("/desk/api/sites/{site}/archived", { params: { path: { site: code } }, body: { archived } }),
      ),
    onSettled: async () => {
      await queries.invalidateQueries({ queryKey: ["me"] });
      await refresh(queries, code);
    },
  });
  return (
    <Section aria-labelledby="leaving">
      <h2 id="leaving">{site.archived_at ? "Archived" : "When it is no longer wanted"}</h2>
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      {site.archived_at ? (
        <>
          <p className="quiet">
            Since {when(site.archived_at)} it takes no new orders. Renewals, refunds and account pages go on.
            Brought back, it stays closed until somebody opens it under On sale.
          </p>
          <div>
            <Button isPending={asked.isPending} onPress={() => asked.mutate(false)}>
              Bring it back
            </Button>
          </div>
        </>
      ) : (
        <>
          <p className="quiet">
            Archived, it takes no new orders and stands apart in the list of sites. Renewals, refunds and
            account pages go on, and it can be brought back.
          </p>
          <div>
            <Confirm
              isPending={asked.isPending}
              question="Whoever comes reads that it takes no orders."
              sure="Archive it"
              onConfirm={() => asked.mutate(true)}
            >
              Archive the site
            </Confirm>
          </div>
        </>
      )}
      {site.has_sold ? null : <Deleting code={code} name={site.name} />}
    </Section>
  );
}

function Deleting({ code, name }: { code: string; name: string }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [sure, setSure] = useState(false);
  const [typed, setTyped] = useState("");
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/deletion", {
          params: { path: { site: code } },
          body: { name: typed },
        }),
      ),
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["me"] });
      await navigate("/");
      queries.removeQueries({ queryKey: ["site", code] });
    },
  });
  const problem = fieldProblem(asked.error, "name");
  if (!sure)
    return (
      <div>
        <Button look="plain" onPress={() => setSure(true)}>
          Delete the site …
        </Button>
      </div>
    );
  return (
    <>
      <p>
        It has sold to nobody but test buyers, so it can be deleted: with its products, checkouts, releases
        and test orders, for everybody who works on it. That cannot be undone.
      </p>
      {asked.error && !problem ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : asked.error.message}
        </Notice>
      ) : null}
      <Field
        label={`To be sure, write its name: ${name}`}
        value={typed}
        onChange={setTyped}
        problem={problem}
        autoFocus
      />
      <div style={{ display: "flex", gap: 10 }}>
        <Button look="grave" isPending={asked.isPending} onPress={() => asked.mutate()}>
          Delete it with everything
        </Button>
        <Button onPress={() => setSure(false)}>Keep it</Button>
      </div>
    </>
  );
}
