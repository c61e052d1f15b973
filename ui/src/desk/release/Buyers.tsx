// What a release would change for stand-in buyers and for real ones.
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type Schemas, data, api, Refused } from "../../api/client";
import { Confirm } from "../../kit/Confirm";
import { when } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { Section, Table } from "../../kit/Sheet";
import { opening, refresh } from "../queries";
import { To } from "../room/places";
import { useRole } from "../room/role";
import { WORDS } from "./Differences";
import { noticed } from "./noticed";

/** What stand-in buyers would meet otherwise. */
export function Buyers({ found }: { found: Schemas["ReviewView"] }) {
  const rows = noticed(found.buyers);
  const all = found.buyers.length;
  const same = found.buyers.filter((one) => one.effects.length === 0);
  return (
    <Section aria-labelledby="buyers">
      <h2 id="buyers">What buyers will notice</h2>
      {all === 0 ? <p className="quiet">There are no stand-in buyers to try it on.</p> : null}
      {rows.length ? (
        <Table>
          <thead>
            <tr>
              <th scope="col">Checkout</th>
              <th scope="col">Before</th>
              <th scope="col">After</th>
              <th scope="col">For whom</th>
            </tr>
          </thead>
          <tbody>
            {rows.map(({ effect, names }) => (
              <tr key={[effect.checkout, effect.what, effect.before, effect.after].join(" ")}>
                <th scope="row" style={{ minWidth: "min(130px, 20vw)" }}>
                  {effect.name}
                  <br />
                  <span className="quiet">{WORDS[effect.kind] || effect.what}</span>
                </th>
                <td className="quiet">{effect.before ?? "–"}</td>
                <td>{effect.after ?? "–"}</td>
                <td className="quiet">{names.length === all && all > 1 ? "everyone" : names.join("; ")}</td>
              </tr>
            ))}
          </tbody>
        </Table>
      ) : null}
      {same.length ? (
        <p className="quiet">
          {rows.length
            ? `Nothing changes for ${same.map((one) => one.name).join("; ")}.`
            : "Nothing changes for any stand-in buyer."}
        </p>
      ) : null}
      {found.left_out ? (
        <p className="quiet">{found.left_out} more checkouts change and were not tried on.</p>
      ) : null}
    </Section>
  );
}

/** Whether real buyers can pay, and the press that lets them. */
export function RealBuyers({ code, site }: { code: string; site: Schemas["SiteView"] }) {
  const queries = useQueryClient();
  const { mayConfigure } = useRole(code);
  const look = useQuery({
    ...opening(code, site.change, site.release?.number),
    enabled: !site.live_since,
  });
  const found = look.data ?? [];
  const hinders = found.some((one) => one.hinders);
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.POST("/desk/api/sites/{site}/live-buyers", {
          params: { path: { site: code } },
          body: { seen: found.map((one) => one.code) },
        }),
      ),
    onSettled: () => refresh(queries, code),
  });
  if (site.live_since) {
    return (
      <Section aria-labelledby="live">
        <h2 id="live">Open for real buyers</h2>
        <p className="quiet">
          Since {when(site.live_since)}. Whoever comes through the website&rsquo;s buttons pays real money and
          meets release {site.release?.number}. Test links are under On the site.{" "}
          <To to={`/s/${code}/on-sale`}>Pause or stop sales</To>
        </p>
      </Section>
    );
  }
  return (
    <Section aria-labelledby="live">
      <h2 id="live">Not open for real buyers yet</h2>
      <p className="quiet">
        Until then every sale is a test sale.{" "}
        {!look.data
          ? ""
          : found.length
            ? "What would go wrong if it were opened now:"
            : "Nothing is known that would go wrong."}
      </p>
      {found.length ? (
        <ul>
          {found.map((one) => (
            <li key={one.message}>
              {one.hinders ? <strong>{one.message}.</strong> : `${one.message}.`}{" "}
              <span className="quiet">
                {one.room === "release" ? (
                  `${one.remedy}.`
                ) : (
                  <To to={`/s/${code}/${one.room}`}>{one.remedy}</To>
                )}
              </span>
            </li>
          ))}
        </ul>
      ) : null}
      {asked.error ? (
        <Notice kind="error" title="Not yet">
          {asked.error instanceof Refused ? asked.error.problem.detail : asked.error.message}
        </Notice>
      ) : null}
      <div>
        <Confirm
          isPending={asked.isPending}
          isDisabled={!mayConfigure || !look.data || hinders}
          question={`The website’s buttons take real money from then on.${found.length ? " What is listed above is so all the same." : ""} Under On sale it can be closed at any time.`}
          sure="Open it"
          onConfirm={() => asked.mutate()}
        >
          Open for real buyers
        </Confirm>
      </div>
    </Section>
  );
}
