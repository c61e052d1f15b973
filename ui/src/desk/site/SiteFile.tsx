// The whole site as one text file: saved, and read in after showing what would change.
import { useParams } from "react-router";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button, LinkButton } from "../../kit/Button";
import { FileButton } from "../../kit/fields/FileButton";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { ProductRooms, WithRooms } from "../room/StageRooms";
import { useFileIn } from "../editing/fileIn";
import { useRole } from "../room/role";

const MOST_SHOWN = 100;

export function SiteFile() {
  const { site: code = "" } = useParams();
  const { mayConfigure } = useRole(code);
  const { file, take, view, error, isReading, isStoring, store } = useFileIn<Schemas["AppliedView"]>({
    code,
    ask: (text, seen) =>
      data(
        api.POST("/desk/api/sites/{site}/site-file", {
          params: { path: { site: code } },
          body: { text, seen },
        }),
      ),
    isDone: () => true,
    said: "The draft is as the file has it. Real buyers meet it after the next release.",
  });
  return (
    <WithRooms>
      <ProductRooms />
      <Sheet tabIndex={-1} aria-label="The site file">
        <Body>
          <header>
            <h1>The site file</h1>
            <p className="quiet">The whole configuration as one text, to be read, compared and kept.</p>
          </header>
          <p>
            <LinkButton href={`/desk/api/sites/${code}/site-file`} download>
              Save the draft as a site file
            </LinkButton>
          </p>
          {mayConfigure ? (
            <Section aria-labelledby="in">
              <h2 id="in">Read one in</h2>
              <p className="quiet">
                All or nothing. What the file leaves out is archived, never deleted. A file from before
                others’ edits is refused.
              </p>
              <div>
                <FileButton types={[".yaml", ".yml", ".json"]} onText={take}>
                  {file ? "Choose another file" : "Choose a file"}
                </FileButton>
              </div>
              {error ? <Wrong error={error} /> : null}
              {isReading ? <p role="status">Reading …</p> : null}
              {view && file ? (
                <>
                  <p role="status">
                    <strong>{file.name}</strong>:{" "}
                    {view.changes.length
                      ? `${view.changes.length} ${view.changes.length === 1 ? "part changes" : "parts change"}.`
                      : "nothing would change."}
                  </p>
                  <Changes changes={view.changes} />
                  {view.changes.length ? (
                    <div>
                      <Button look="main" isPending={isStoring} onPress={() => store(view)}>
                        Make it the draft
                      </Button>
                    </div>
                  ) : null}
                </>
              ) : null}
            </Section>
          ) : null}
        </Body>
      </Sheet>
    </WithRooms>
  );
}

function Wrong({ error }: { error: Error }) {
  if (!(error instanceof Refused)) return <Notice kind="error">It was not read. Try again.</Notice>;
  const { detail, errors } = error.problem;
  return (
    <>
      <Notice kind="error">{detail}</Notice>
      {errors.length > 1 ? (
        <Table>
          <tbody>
            {errors.slice(0, MOST_SHOWN).map((one) => (
              <tr key={one.path + one.message}>
                <th scope="row" className="mono">
                  {one.path}
                </th>
                <td>
                  {one.message}. {one.remedy}.
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      ) : null}
    </>
  );
}

function Changes({ changes }: { changes: Schemas["PartChangeView"][] }) {
  if (!changes.length) return null;
  return (
    <Table>
      <thead>
        <tr>
          <th scope="col">Part</th>
          <th scope="col">What happens</th>
        </tr>
      </thead>
      <tbody>
        {changes.slice(0, MOST_SHOWN).map((one) => (
          <tr key={`${one.kind} ${one.id}`}>
            <th scope="row">
              {one.name} <span className="quiet">{one.kind.replace(/_/g, " ")}</span>
            </th>
            <td>
              {one.what}
              {one.differences.slice(0, 6).map((difference) => (
                <div key={difference.what} className="quiet">
                  {difference.what}: {difference.before ?? "nothing"} → {difference.after ?? "nothing"}
                </div>
              ))}
            </td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}
