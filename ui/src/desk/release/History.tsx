import { useInfiniteQuery, useMutation, useQueryClient } from "@tanstack/react-query";
import { useParams } from "react-router";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { when } from "../../kit/format/when";
import { kindWords } from "../editing/kindWords";
import { Differences, Named } from "./Differences";
import { Waiting } from "../room/Waiting";
import { To } from "../room/places";
import { edits, refresh, releases, useSite } from "../queries";
import { useRole } from "../room/role";
import { sendAll } from "../editing/savers";
import { useTell } from "../room/told";

/** Releases with who and when, the way back to each; and the draft's edits, one by one. */
export function History() {
  const { site: code = "" } = useParams();
  const made = useInfiniteQuery(releases(code));
  const edited = useInfiniteQuery(edits(code));
  const { data: site } = useSite(code);
  if (!made.data || !edited.data || !site)
    return (
      <Waiting
        away={made.failureCount + edited.failureCount > 0}
        again={() => {
          void made.refetch();
          void edited.refetch();
        }}
      />
    );
  const all = made.data.pages.flat();
  return (
    <Sheet tabIndex={-1} aria-label="Releases and edits">
      <Body>
        <header>
          <h1>Releases and edits</h1>
          <p className="quiet">
            Nothing that was released is ever changed; going back releases it once more.{" "}
            <To to={`/s/${code}/release`}>Review and release</To>
          </p>
        </header>
        <Section aria-labelledby="releases">
          <h2 id="releases">Releases</h2>
          {all.length === 0 ? (
            <p className="quiet">Nothing has been released yet.</p>
          ) : (
            <Made code={code} all={all} site={site} />
          )}
          {made.hasNextPage ? (
            <div>
              <Button onPress={() => void made.fetchNextPage()} isPending={made.isFetchingNextPage}>
                Show earlier releases
              </Button>
            </div>
          ) : null}
        </Section>
        <Section aria-labelledby="edits">
          <h2 id="edits">Edits of the draft</h2>
          {changes(edited.data.pages.flat()).map((parts) => (
            <Change key={parts[0]?.change} code={code} parts={parts} />
          ))}
          {edited.hasNextPage ? (
            <div>
              <Button onPress={() => void edited.fetchNextPage()} isPending={edited.isFetchingNextPage}>
                Show earlier edits
              </Button>
            </div>
          ) : null}
        </Section>
      </Body>
    </Sheet>
  );
}

type Edit = Schemas["EditView"];

/** The edits of one change together: there are several where the draft was put back, or begun from a file. */
export function changes(found: Edit[]): Edit[][] {
  const all = new Map<number, Edit[]>();
  for (const edit of found) all.set(edit.change, [...(all.get(edit.change) ?? []), edit]);
  return [...all.values()];
}

const MANY = 4;

/** One edit taken back, however long ago it was made; those after it stay. */
function TakeBack({ code, edit }: { code: string; edit: Edit }) {
  const queries = useQueryClient();
  const tell = useTell();
  const { mayConfigure } = useRole(code);
  const asked = useMutation({
    mutationFn: async () => {
      await sendAll();
      return data(
        api.POST("/desk/api/sites/{site}/parts/{kind}/{part_id}/taken-back", {
          params: { path: { site: code, kind: edit.kind as Schemas["Part"]["kind"], part_id: edit.id } },
          body: { change: edit.change },
        }),
      );
    },
    onSuccess: () => tell("Taken back, as a new edit."),
    onSettled: () => refresh(queries, code),
  });
  if (!mayConfigure) return null;
  return (
    <div>
      {asked.error ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : asked.error.message}
        </Notice>
      ) : null}
      <Button look="plain" isPending={asked.isPending} onPress={() => asked.mutate()}>
        {edit.archived ? "Bring it back" : "Take this edit back"}
      </Button>
    </div>
  );
}

function Change({ code, parts }: { code: string; parts: Edit[] }) {
  const [first] = parts;
  if (!first) return null;
  const said = (
    <p className="quiet">
      Change {first.change}, {when(first.at)}, {first.by ?? "the demo"}
    </p>
  );
  if (parts.length > MANY)
    return (
      <div>
        <h3>{parts.length} parts at once</h3>
        {said}
        <Named parts={parts} />
      </div>
    );
  return parts.map((edit) => {
    const fresh = edit.differences.every((one) => one.before === null);
    return (
      <div key={`${edit.kind} ${edit.id}`}>
        <h3>
          {kindWords(edit.kind)}
          {edit.name ? `: ${edit.name}` : ""}
          {edit.archived ? ", archived" : fresh ? ", added" : ""}
        </h3>
        {said}
        <TakeBack code={code} edit={edit} />
        {edit.archived || fresh ? null : <Differences found={edit.differences} />}
      </div>
    );
  });
}

function Made({
  code,
  all,
  site,
}: {
  code: string;
  all: Schemas["ReleaseView"][];
  site: Schemas["SiteView"];
}) {
  const queries = useQueryClient();
  const tell = useTell();
  const { mayConfigure } = useRole(code);
  const last = site.release?.number;
  const asked = useMutation({
    mutationFn: async (release: number) => {
      await sendAll();
      return data(
        api.POST("/desk/api/sites/{site}/draft/back", {
          params: { path: { site: code } },
          body: { release, seen: site.change },
        }),
      );
    },
    onSuccess: ({ parts }, release) =>
      tell(parts ? `The draft is as release ${release} was.` : "The draft was that already."),
    onSettled: () => refresh(queries, code),
  });
  return (
    <>
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      <Table>
        <thead>
          <tr>
            <th scope="col">Release</th>
            <th scope="col">Made</th>
            <th scope="col">About</th>
            <th scope="col">Back to it</th>
          </tr>
        </thead>
        <tbody>
          {all.map((release) => (
            <tr key={release.number}>
              <th scope="row">
                {release.number}
                {release.number === last ? ", the last" : ""}
              </th>
              <td>
                {when(release.at)}
                <br />
                <span className="quiet">{release.by ?? "the demo"}</span>
              </td>
              <td>{release.note || <span className="quiet">–</span>}</td>
              <td>
                {mayConfigure && release.number !== last ? (
                  <To to={`/s/${code}/release/back/${release.number}`}>Look at going back</To>
                ) : null}
                {mayConfigure ? (
                  <div>
                    <Confirm
                      look="plain"
                      isPending={asked.isPending}
                      question={`The draft becomes what release ${release.number} was. Later edits stay in the list below.`}
                      sure="Put the draft back"
                      onConfirm={() => asked.mutate(release.number)}
                    >
                      Put the draft back to it
                    </Confirm>
                  </div>
                ) : null}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </>
  );
}
