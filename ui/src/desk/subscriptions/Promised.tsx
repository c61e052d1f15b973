// What was promised: each charge to come.
import type { Schemas } from "../../api/client";
import { day } from "../../kit/format/when";
import { Section, Table } from "../../kit/Sheet";
import { To } from "../room/places";
import type { At } from "./subscription";

const KEPT: Record<Schemas["PromisedCharge"]["kept"], string> = {
  yes: "as promised",
  no: "otherwise",
  to_come: "to come",
  replaced: "replaced by a change",
};

/** What came true of what the buyer was shown before they paid. */
export function Promised({ code, mode, found }: At) {
  if (!found.promised.length) return null;
  const kept = found.promised.filter((one) => one.kept === "yes").length;
  const not = found.promised.filter((one) => one.kept === "no").length;
  const coming = found.promised.filter((one) => one.kept === "to_come").length;
  return (
    <Section aria-labelledby="promised">
      <h2 id="promised">Promised and come true</h2>
      <p className="quiet">
        What the buyer was shown before paying, against what was charged: {kept} as promised
        {not ? `, ${not} otherwise` : ""}, {coming} to come
        {kept + not + coming < found.promised.length ? "; the others were replaced by a change" : ""}.
      </p>
      <Table>
        <thead>
          <tr>
            <th scope="col">Day</th>
            <th scope="col" className="amount">
              Promised
            </th>
            <th scope="col" className="amount">
              Charged
            </th>
            <th scope="col">
              <span style={{ paddingLeft: 20 }}>So</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {found.promised.map((one) => (
            <tr key={`${one.on} ${one.kept}`}>
              <td>{day(one.on)}</td>
              <td className="amount">{one.total}</td>
              <td className="amount">{one.came ?? ""}</td>
              <td>
                <span style={{ paddingLeft: 20 }}>
                  {KEPT[one.kept]}
                  {one.order && one.kept === "no" ? (
                    <>
                      , <To to={`/s/${code}/orders/${mode}/${one.order}`}>{one.order}</To>
                    </>
                  ) : null}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}
