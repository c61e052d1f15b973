// Members are moved over from elsewhere: a CSV file, shown row by row before anything begins.
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";

import { api, data } from "../../api/client";
import { Button } from "../../kit/Button";
import { FileButton } from "../../kit/fields/FileButton";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { OrderRooms, WithRooms } from "../room/StageRooms";
import { To } from "../room/places";
import { refresh, type Mode } from "../queries";
import { useRole } from "../room/role";

const MOST_SHOWN = 200;
const EXAMPLE =
  "email,name,country,price,next_on,amount,gateway,on_file,card_ending,card_expires\n" +
  "jo@example.org,Jo Early,NL,parcel-month,2027-03-01,21.00,,,,\n";

export function MoveOver() {
  const { site: code = "", mode } = useParams();
  const book: Mode = mode === "live" ? "live" : "test";
  const { mayConfigure } = useRole(code);
  const queries = useQueryClient();
  const [file, setFile] = useState<{ name: string; text: string }>();
  const move = useMutation({
    mutationFn: ({ text, dry }: { text: string; dry: boolean }) =>
      data(
        api.POST("/desk/api/sites/{site}/books/{mode}/members.csv", {
          params: { path: { site: code, mode: book } },
          body: { text, dry },
        }),
      ),
    onSuccess: async (view) => {
      if (view.done) await refresh(queries, code);
    },
  });
  const view = move.data;
  return (
    <WithRooms>
      <OrderRooms />
      <Sheet tabIndex={-1} aria-label="Move members over">
        <Body>
          <header>
            <h1>Move members over {book === "test" ? <Stamp /> : null}</h1>
            <p className="quiet">
              Subscriptions that began elsewhere go on here, on the day and at the amount that you say.
              Nothing is charged before that day.
            </p>
          </header>
          <p>
            One subscription a row. <span className="mono">email, name, country, price, next_on</span> are
            needed; <span className="mono">amount</span> is what they have always paid, where that is not the
            price’s; <span className="mono">gateway, on_file, card_ending, card_expires</span> name the card
            that the gateway keeps. Who comes without one is mailed a link to add it.
          </p>
          <pre style={{ overflowX: "auto", font: "13px/1.6 var(--mono)", margin: 0 }}>{EXAMPLE}</pre>
          {mayConfigure ? (
            <Section aria-labelledby="in">
              <h2 id="in">Read one in</h2>
              <div>
                <FileButton
                  types={[".csv", "text/csv"]}
                  onText={(text, name) => {
                    setFile({ text, name });
                    move.mutate({ text, dry: true });
                  }}
                >
                  {file ? "Choose another file" : "Choose a file"}
                </FileButton>
              </div>
              {move.error ? <Notice kind="error">{move.error.message}</Notice> : null}
              {view?.done ? (
                <Notice kind="information" title={`${view.rows.length} subscriptions have begun`}>
                  <To to={`/s/${code}/subscriptions/${book}`}>See them</To>
                </Notice>
              ) : null}
              {view && file && !view.done ? (
                <>
                  <p role="status">
                    <strong>{file.name}</strong>:{" "}
                    {view.problems.length
                      ? `${view.problems.length} ${view.problems.length === 1 ? "thing is" : "things are"} wrong. Nothing has begun.`
                      : `${view.rows.length} ${view.rows.length === 1 ? "subscription" : "subscriptions"} would begin.`}
                  </p>
                  <Table>
                    <tbody>
                      {view.problems.length
                        ? view.problems.slice(0, MOST_SHOWN).map((one) => (
                            <tr key={`${one.row} ${one.column} ${one.message}`}>
                              <th scope="row">Row {one.row}</th>
                              <td className="mono">{one.column}</td>
                              <td>{one.message}</td>
                              <td>{one.remedy}</td>
                            </tr>
                          ))
                        : view.rows.slice(0, MOST_SHOWN).map((one) => (
                            <tr key={one.row}>
                              <th scope="row">{one.email}</th>
                              <td>{one.what}</td>
                            </tr>
                          ))}
                    </tbody>
                  </Table>
                  {view.problems.length || !view.rows.length ? null : (
                    <div>
                      <Button
                        look="main"
                        isPending={move.isPending}
                        onPress={() => move.mutate({ text: file.text, dry: false })}
                      >
                        Begin {String(view.rows.length)}{" "}
                        {view.rows.length === 1 ? "subscription" : "subscriptions"}
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
