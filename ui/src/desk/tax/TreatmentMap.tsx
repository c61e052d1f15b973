// The map of treatments: places against kinds of product. A cell says rate or treatment, and opens to its reason.
import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Section } from "../../kit/Sheet";
import { percent } from "../../kit/format/percent";
import { Sourced } from "../../kit/Sourced";
import { treatmentWords } from "../../kit/format/treatments";

type Map = Schemas["TreatmentsView"];
type Cell = Schemas["CellView"];

const Grid = styled.table`
  border-collapse: separate;
  border-spacing: 0;
  font-size: 14px;
  min-width: 100%;
  th,
  td {
    border-bottom: 1px solid var(--hairline);
    padding: 0;
    text-align: left;
    font-weight: 400;
    white-space: nowrap;
  }
  thead th {
    padding: 6px 10px 6px 0;
    color: var(--pencil);
    font-size: 13px;
    vertical-align: bottom;
  }
  tbody th[scope="row"] {
    padding: 4px 14px 4px 0;
  }
  tbody th[scope="rowgroup"] {
    padding: 16px 0 4px;
    font-weight: 600;
    color: var(--pencil);
    font-size: 13px;
  }
  button {
    width: 100%;
    min-height: 30px;
    padding: 3px 8px;
    border: 0;
    border-left: 3px solid transparent;
    background: none;
    color: var(--ink);
    font: inherit;
    font-family: var(--mono);
    font-variant-numeric: tabular-nums;
    text-align: left;
    cursor: pointer;
  }
  button:hover {
    background: var(--wash);
  }
  button[aria-pressed="true"] {
    background: var(--wash);
    border-left-color: var(--verdigris);
  }
  button:focus-visible {
    outline: 2px solid var(--verdigris);
    outline-offset: -2px;
  }
  button.none {
    color: var(--pencil);
    font-family: var(--text);
  }
  button.lacking {
    border-left-color: var(--saffron);
    text-decoration: underline dotted var(--saffron) 2px;
    text-underline-offset: 4px;
  }
  button.changed {
    background: var(--saffron-wash);
  }
  del {
    color: var(--pencil);
    margin-left: 8px;
  }
`;

const Opened = styled.div`
  border: 1px solid var(--hairline);
  border-left: 3px solid var(--verdigris);
  background: var(--tape);
  padding: 12px 16px;
  h3 {
    margin: 0 0 6px;
    font: 600 15px/1.3 var(--text);
  }
  p {
    margin: 0 0 6px;
  }
`;

const GROUPS = {
  home: "At home",
  eu: "European Union",
  special: "Places inside places",
  near: "Where one can be registered",
  elsewhere: "Elsewhere",
} as const;

const LACKING = [
  "eu_below_threshold",
  "held_unregistered",
  "online_event_unregistered",
  "not_registered_there",
];

export function TreatmentMap({ map }: { map: Map }) {
  const [open, setOpen] = useState<string>();
  const [who, setWho] = useState<"consumer" | "business">("consumer");
  const before = useBefore(map);
  const [place, kind, whom] = open?.split("|") ?? [];
  const row = map.rows.find((one) => `${one.group} ${one.name}` === place);
  const cell = row?.cells[Number(kind)]?.[whom === "business" ? "business" : "consumer"];
  return (
    <Section aria-labelledby="treatments">
      <h2 id="treatments">What that means, place by place</h2>
      {map.missing.map((one) => (
        <p key={one.code}>
          <strong>{one.places.length === 1 ? "1 place" : `${one.places.length} places`}:</strong>{" "}
          <Sourced>{one.words}</Sourced>
        </p>
      ))}
      <fieldset style={{ border: 0, padding: 0, margin: 0, display: "flex", gap: 18 }}>
        <legend className="hidden">Who buys</legend>
        {(["consumer", "business"] as const).map((one) => (
          <label key={one} style={{ display: "flex", gap: 8, alignItems: "center" }}>
            <input
              type="radio"
              name="who"
              style={{ accentColor: "var(--verdigris)" }}
              checked={who === one}
              onChange={() => setWho(one)}
            />
            {one === "consumer" ? "to consumers" : "to businesses with a valid number"}
          </label>
        ))}
      </fieldset>
      {row && cell ? (
        <Opened role="status">
          <h3>
            {row.name}, {map.kinds[Number(kind)]?.words.toLowerCase()},{" "}
            {whom === "business" ? "to a business" : "to a consumer"}
          </h3>
          <p>
            <Sourced>{cell.reason}</Sourced>
          </p>
          {[...cell.notes, ...cell.sources].map((text) => (
            <p key={text} className="quiet">
              <Sourced>{text}</Sourced>
            </p>
          ))}
        </Opened>
      ) : (
        <p className="quiet">Choose a cell for its reason and source.</p>
      )}
      <div style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Map of treatments">
        <Grid>
          <thead>
            <tr>
              <td />
              {map.kinds.map((one) => (
                <th scope="col" key={one.words}>
                  {one.words}
                </th>
              ))}
            </tr>
          </thead>
          {Object.entries(GROUPS).map(([group, title]) => {
            const rows = map.rows.filter((one) => one.group === group);
            if (!rows.length) return null;
            return (
              <tbody key={group}>
                <tr>
                  <th scope="rowgroup" colSpan={map.kinds.length + 1}>
                    {title}
                  </th>
                </tr>
                {rows.map((one) => (
                  <tr key={one.name}>
                    <th scope="row">{one.name}</th>
                    {one.cells.map((pair, k) => {
                      const key = `${one.group} ${one.name}|${k}|${who}`;
                      const was = before?.get(key);
                      const now = text(pair[who]);
                      return (
                        <td key={k}>
                          <button
                            type="button"
                            aria-pressed={open === key}
                            className={marks(pair[who], was !== undefined && was !== now)}
                            onClick={() => setOpen(open === key ? undefined : key)}
                          >
                            {now}
                            {was !== undefined && was !== now ? <del>{was}</del> : null}
                          </button>
                        </td>
                      );
                    })}
                  </tr>
                ))}
              </tbody>
            );
          })}
        </Grid>
      </div>
    </Section>
  );
}

function marks(cell: Cell, changed: boolean): string {
  return [
    cell.rate === null ? "none" : "",
    LACKING.includes(cell.code) ? "lacking" : "",
    changed ? "changed" : "",
  ].join(" ");
}

/** What a cell says: the rate, with its place where that is not the row's own, or why there is none. */
function text(cell: Cell): string {
  if (cell.rate === null) return treatmentWords(cell.treatment);
  const home = cell.code === "home_rate" ? "" : ` ${cell.place}`;
  return `${percent(cell.rate)}${home}`;
}

const flat = (map: Map) => {
  const found = new globalThis.Map<string, string>();
  for (const row of map.rows)
    row.cells.forEach((pair, k) => {
      for (const who of ["consumer", "business"] as const)
        found.set(`${row.group} ${row.name}|${k}|${who}`, text(pair[who]));
    });
  return found;
};

/** The map as it was before the last edit that changed something in it. */
function useBefore(map: Map): globalThis.Map<string, string> | undefined {
  const last = useRef<Map>(map);
  const [before, setBefore] = useState<globalThis.Map<string, string>>();
  useEffect(() => {
    if (last.current === map) return;
    const was = flat(last.current);
    const now = flat(map);
    if ([...now].some(([key, words]) => was.has(key) && was.get(key) !== words)) setBefore(was);
    last.current = map;
  }, [map]);
  return before;
}
