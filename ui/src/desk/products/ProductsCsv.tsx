// Products as CSV: out at a press, in after a dry run that says what each row would do.
import { useParams } from "react-router";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button, LinkButton } from "../../kit/Button";
import { FileButton } from "../../kit/fields/FileButton";
import { PicturesButton } from "./PicturesButton";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { ProductRooms, WithRooms } from "../room/StageRooms";
import { useFileIn } from "../editing/fileIn";
import { useRole } from "../room/role";

const MOST_SHOWN = 200;
const EFFECTS = { new: "adds", changed: "changes", same: "changes nothing" } as const;

export function ProductsCsv() {
  const { site: code = "" } = useParams();
  const { mayConfigure } = useRole(code);
  const { file, take, view, error, isReading, isStoring, store } = useFileIn<Schemas["CsvView"]>({
    code,
    ask: (text, seen) =>
      data(
        api.POST("/desk/api/sites/{site}/products.csv", {
          params: { path: { site: code } },
          body: { text, seen },
        }),
      ),
    isDone: (done) => done.done,
    said: "The products are as the file has them. They go into the draft.",
  });
  const changing = view?.rows.filter((row) => row.effect !== "same") ?? [];
  return (
    <WithRooms>
      <ProductRooms />
      <Sheet tabIndex={-1} aria-label="Products as CSV">
        <Body>
          <header>
            <h1>Products as CSV</h1>
            <p className="quiet">One price or variant a row, an amount column for each currency.</p>
          </header>
          <p>
            <LinkButton href={`/desk/api/sites/${code}/products.csv`} download>
              Save all products as CSV
            </LinkButton>
          </p>
          {mayConfigure ? (
            <Section aria-labelledby="in">
              <h2 id="in">Read one in</h2>
              <p className="quiet">
                A cell left empty changes nothing, a hyphen clears what is there; what the file does not name
                stays. You see what each row would do before anything is stored.
              </p>
              <p className="quiet">
                Pictures are named as their files are called. Send those along that are not here yet.
              </p>
              <div>
                <FileButton types={[".csv", "text/csv"]} onText={take}>
                  {file ? "Choose another file" : "Choose a file"}
                </FileButton>{" "}
                <PicturesButton onSent={() => (file ? take(file.text, file.name) : undefined)} />
              </div>
              {error ? (
                <Notice kind="error">
                  {error instanceof Refused ? error.problem.detail : "It was not read. Try again."}
                </Notice>
              ) : null}
              {isReading ? <p role="status">Reading …</p> : null}
              {view && file ? (
                <>
                  <p role="status">
                    <strong>{file.name}</strong>:{" "}
                    {view.problems.length
                      ? `${view.problems.length} ${view.problems.length === 1 ? "thing is" : "things are"} wrong. Nothing was stored.`
                      : `${changing.length} of ${view.rows.length} rows change something.`}
                  </p>
                  {view.problems.length ? <Problems problems={view.problems} /> : <Rows rows={changing} />}
                  {view.problems.length || !changing.length ? null : (
                    <div>
                      <Button look="main" isPending={isStoring} onPress={() => store(view)}>
                        Store {String(changing.length)} {changing.length === 1 ? "row" : "rows"}
                      </Button>
                    </div>
                  )}
                </>
              ) : null}
            </Section>
          ) : null}
        </Body>
      </Sheet>
    </WithRooms>
  );
}

function Problems({ problems }: { problems: Schemas["CsvProblem"][] }) {
  return (
    <Table>
      <thead>
        <tr>
          <th scope="col">Row</th>
          <th scope="col">Column</th>
          <th scope="col">What is wrong</th>
          <th scope="col">What to do</th>
        </tr>
      </thead>
      <tbody>
        {problems.slice(0, MOST_SHOWN).map((one) => (
          <tr key={`${one.row} ${one.column} ${one.message}`}>
            <th scope="row">{one.row}</th>
            <td className="mono">{one.column}</td>
            <td>{one.message}</td>
            <td>{one.remedy}</td>
          </tr>
        ))}
      </tbody>
    </Table>
  );
}

function Rows({ rows }: { rows: Schemas["CsvRow"][] }) {
  return (
    <>
      <Table>
        <thead>
          <tr>
            <th scope="col">Row</th>
            <th scope="col">Product</th>
            <th scope="col">Price or variant</th>
            <th scope="col">What it does</th>
          </tr>
        </thead>
        <tbody>
          {rows.slice(0, MOST_SHOWN).map((one) => (
            <tr key={one.row}>
              <th scope="row">{one.row}</th>
              <td>{one.product}</td>
              <td>{one.price || one.variant}</td>
              <td>
                {EFFECTS[one.effect]}: {one.changes.join(", ") || "as it is"}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      {rows.length > MOST_SHOWN ? <p className="quiet">and {rows.length - MOST_SHOWN} more</p> : null}
    </>
  );
}
