// The tax report: bases and taxes of a period by place, tax, rate and treatment, and that they equal the orders.
import { useQuery } from "@tanstack/react-query";
import { useParams, useSearchParams } from "react-router";

import { LinkButton } from "../../kit/Button";
import { Sentence, SlotChoice } from "../../kit/fields/Sentence";
import { Body, Sheet, Table } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { grouped } from "../../kit/format/money";
import { percent } from "../../kit/format/percent";
import { treatmentWords } from "../../kit/format/treatments";
import { TaxRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { calendar, taxReport, type Mode } from "../queries";
import { SlotDate } from "../../kit/fields/Day";

export function TaxReport() {
  const { site: code = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  const mode: Mode = search.get("book") === "live" ? "live" : "test";
  // The test book lives in a year of its own.
  const book = useQuery({ ...calendar(code), enabled: mode === "test" });
  const day = book.data?.day;
  const year = mode === "test" && day ? day.slice(0, 4) : String(new Date().getFullYear());
  const first = search.get("from") ?? `${year}-01-01`;
  const last = search.get("until") ?? `${year}-12-31`;
  const set = (name: string, value: string) =>
    setSearch(
      (old) => {
        old.set(name, value);
        return old;
      },
      { replace: true },
    );
  const whole = /^\d{4}-\d\d-\d\d$/;
  const right = whole.test(first) && whole.test(last) && first <= last;
  const asked = useQuery({
    ...taxReport(code, mode, first, last),
    enabled: right && (mode === "live" || !book.isPending),
  });
  const api = `/desk/api/sites/${code}`;
  const period = `mode=${mode}&first=${first}&last=${last}`;
  const found = asked.data;
  return (
    <WithRooms>
      <TaxRooms />
      <Sheet tabIndex={-1} aria-label="Tax report">
        <Body>
          <header>
            <h1>Tax report {mode === "test" ? <Stamp /> : null}</h1>
          </header>
          <Sentence problems={right ? [] : ["The first day has to be before the last one."]}>
            What was paid in the{" "}
            <SlotChoice
              label="Book"
              value={mode}
              options={[
                ["test", "test book"],
                ["live", "live book"],
              ]}
              onChange={(which) => set("book", which)}
            />{" "}
            from <SlotDate label="First day" value={first} onChange={(day) => set("from", day)} /> until{" "}
            <SlotDate label="Last day" value={last} onChange={(day) => set("until", day)} />.
          </Sentence>
          {!right ? null : !found ? (
            <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />
          ) : found.rows.length === 0 ? (
            <p className="quiet">Nothing was paid in these days.</p>
          ) : (
            <>
              <div style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Taxes of the period">
                <Table style={{ minWidth: 620 }}>
                  <thead>
                    <tr>
                      <th scope="col">Place</th>
                      <th scope="col">Tax</th>
                      <th scope="col">Treatment</th>
                      <th scope="col">Orders</th>
                      <th scope="col" className="amount">
                        Net
                      </th>
                      <th scope="col" className="amount">
                        Tax
                      </th>
                    </tr>
                  </thead>
                  <tbody>
                    {found.rows.map((row) => (
                      <tr key={`${row.currency} ${row.place} ${row.name} ${row.rate} ${row.treatment}`}>
                        <th scope="row">{row.place_name}</th>
                        <td>{row.name === "No tax" ? row.name : `${row.name} ${percent(row.rate)}`}</td>
                        <td>{treatmentWords(row.treatment)}</td>
                        <td>{row.orders}</td>
                        <td className="amount">
                          {row.currency} {grouped(row.net)}
                        </td>
                        <td className="amount">{grouped(row.tax)}</td>
                      </tr>
                    ))}
                  </tbody>
                </Table>
              </div>
              {found.totals.map((one) => (
                <p key={one.currency}>
                  <strong>
                    {one.currency} {grouped(one.net)} net, {grouped(one.tax)} tax, {grouped(one.total)} in all
                  </strong>
                  ;{" "}
                  {one.refunded
                    ? `what was paid, less the ${grouped(one.refunded)} that was given back, is`
                    : one.orders === 1
                      ? "the order was paid with"
                      : `the ${one.orders} orders were paid with`}{" "}
                  {grouped(one.paid)}.
                </p>
              ))}
              <div>
                <LinkButton href={`${api}/tax-report.csv?${period}`} download>
                  Take it as CSV
                </LinkButton>{" "}
                <LinkButton href={`${api}/one-stop-shop.csv?${period}`} download>
                  Records of the one-stop shop
                </LinkButton>
              </div>
            </>
          )}
        </Body>
      </Sheet>
    </WithRooms>
  );
}
