import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { styled } from "styled-components";

import { api, data, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { when } from "../../kit/format/when";
import { Waiting } from "../room/Waiting";
import { To, useGo } from "../room/places";
import { refresh, review, useSite } from "../queries";
import { useRole } from "../room/role";
import { sendAll } from "../editing/savers";
import { useTell } from "../room/told";

const KINDS: Record<string, string> = {
  site: "Site",
  currencies: "Currencies",
  tax: "Tax",
  delivery: "Delivery",
  product: "Product",
  coupon: "Coupon",
  checkout: "Checkout",
};

export const kindWords = (kind: string) =>
  kind === "stand_in_buyer" ? "Stand-in buyer" : (KINDS[kind] ?? kind);

/** What changed since the last release, looked through before real buyers meet it; or what going back would change. */
export function Release() {
  const { site: code = "", number } = useParams();
  const back = number === undefined ? null : Number(number);
  const { data: site } = useSite(code);
  const asked = useQuery(review(code, back));
  if (!site || !asked.data)
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data;
  const last = site.release;
  return (
    <Sheet tabIndex={-1} aria-label="Review and release">
      <Body>
        <header>
          <h1>{back === null ? "Review and release" : `Back to release ${back}`}</h1>
          <p className="quiet">
            Real buyers meet the last release, never the draft.
            {last
              ? ` Release ${last.number} was made ${when(last.at)} by ${last.by ?? "the demo"}.`
              : " Nothing has been released yet."}{" "}
            <To to={`/s/${code}/release/history`}>Releases and edits</To>
          </p>
        </header>
        {found.parts.length === 0 ? (
          <Notice>
            {back === null
              ? "The draft is as it was released. There is nothing to release."
              : "Real buyers meet exactly this already."}
          </Notice>
        ) : (
          <>
            {found.remarks.map((one) => (
              <Notice key={one.words} kind={one.wrong ? "error" : "attention"}>
                {one.words}
              </Notice>
            ))}
            <Press code={code} site={site} found={found} back={back} />
            <Parts found={found} />
            <Buyers found={found} />
          </>
        )}
        {back === null ? <RealBuyers code={code} site={site} /> : null}
      </Body>
    </Sheet>
  );
}

interface PressProps {
  code: string;
  site: Schemas["SiteView"];
  found: Schemas["ReviewView"];
  back: number | null;
}

/** The press that releases what was looked through, with a few words for whoever reads the history. */
function Press({ code, site, found, back }: PressProps) {
  const queries = useQueryClient();
  const tell = useTell();
  const go = useGo();
  const { mayConfigure } = useRole(code);
  const [note, setNote] = useState("");
  const before = site.release?.number;
  const asked = useMutation({
    mutationFn: async () => {
      await sendAll();
      const path = { site: code };
      return back === null
        ? data(
            api.POST("/desk/api/sites/{site}/releases", {
              params: { path },
              body: { seen: found.change, note },
            }),
          )
        : data(
            api.POST("/desk/api/sites/{site}/releases/{number}/again", {
              params: { path: { ...path, number: back } },
              body: { seen: before ?? 0 },
            }),
          );
    },
    onSuccess: (now) => {
      setNote("");
      const number = now.release?.number ?? 0;
      tell(
        `Release ${number} is made. ${now.live_since ? "Real buyers meet it from now on." : ""}`,
        before ? () => go(`/s/${code}/release/back/${before}`) : undefined,
      );
      if (back !== null) go(`/s/${code}/release/history`);
    },
    onSettled: () => refresh(queries, code),
  });
  if (!mayConfigure) return <Notice>Only a developer of the site makes releases.</Notice>;
  const next = (before ?? 0) + 1;
  return (
    <div style={{ display: "flex", flexDirection: "column", gap: 12 }}>
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      {back === null ? (
        <div style={{ maxWidth: 460 }}>
          <Field
            label="What it is about"
            hint="For the history; may be left empty"
            value={note}
            onChange={setNote}
          />
        </div>
      ) : (
        <p>It is released once more as release {next}. The draft stays as it is.</p>
      )}
      <div>
        <Button look="main" isPending={asked.isPending} onPress={() => asked.mutate()}>
          {back === null ? `Make release ${next}` : `Go back to release ${back}`}
        </Button>
      </div>
    </div>
  );
}

const Changed = styled(Table)`
  .what {
    color: var(--pencil);
    width: 190px;
  }
  s {
    color: var(--madder);
    text-decoration-thickness: 1px;
  }
  td {
    overflow-wrap: anywhere;
  }
`;

/** A change's parts told one by one up to so many new ones; more are named in a line. */
const FEW = 3;

function Parts({ found }: { found: Schemas["ReviewView"] }) {
  const count = found.parts.length + found.more_parts;
  const fresh = found.parts.filter((part) => part.state === "new");
  const named = fresh.length > FEW ? fresh : [];
  return (
    <Section aria-labelledby="changed">
      <h2 id="changed">{count === 1 ? "1 part changes" : `${count} parts change`}</h2>
      {named.length ? (
        <div>
          <h3>New</h3>
          <Named parts={named} />
        </div>
      ) : null}
      {found.parts
        .filter((part) => !named.includes(part))
        .map((part) => (
          <div key={`${part.kind} ${part.id}`}>
            <h3>
              {kindWords(part.kind)}
              {part.name ? `: ${part.name}` : ""}
              {part.state === "new" ? ", new" : part.state === "archived" ? ", archived" : ""}
            </h3>
            {part.state === "changed" ? <Differences found={part.differences} /> : null}
          </div>
        ))}
      {found.more_parts ? (
        <p className="quiet">
          {found.more_parts === 1 ? "1 more part changes" : `${found.more_parts} more parts change`}; they are
          too many to be told one by one.
        </p>
      ) : null}
    </Section>
  );
}

/** Many parts in a line for each kind. */
export function Named({ parts }: { parts: { kind: string; name: string }[] }) {
  return [...new Set(parts.map((part) => part.kind))].map((kind) => {
    const names = parts.filter((part) => part.kind === kind).map((part) => part.name);
    return (
      <p key={kind}>
        <span className="quiet">
          {kindWords(kind)}
          {names.length > 1 ? "s" : ""}
          {names.some(Boolean) ? ": " : ""}
        </span>
        {names.filter(Boolean).join("; ")}
      </p>
    );
  });
}

export function Differences({ found }: { found: Schemas["DifferenceView"][] }) {
  return (
    <Changed>
      <tbody>
        {found.map((one) => (
          <tr key={one.what}>
            <th scope="row" className="what">
              {one.what}
            </th>
            <td>
              {one.before === null ? null : <s aria-label={`was ${one.before}`}>{one.before}</s>}{" "}
              {one.after ?? "taken out"}
            </td>
          </tr>
        ))}
      </tbody>
    </Changed>
  );
}

const WORDS = { amount: "amount", page: "", new: "can be bought now", gone: "cannot be bought any more" };

type Effect = Schemas["EffectView"];

interface Noticed {
  effect: Effect;
  names: string[];
}

/** Effects that are the same for several buyers are one row. */
export function noticed(buyers: Schemas["BuyerReviewView"][]): Noticed[] {
  const found = new Map<string, Noticed>();
  for (const buyer of buyers) {
    for (const effect of buyer.effects) {
      const key = JSON.stringify([effect.checkout, effect.what, effect.before, effect.after]);
      const row = found.get(key) ?? { effect, names: [] };
      row.names.push(buyer.name);
      found.set(key, row);
    }
  }
  return [...found.values()].sort((a, b) => (a.effect.checkout < b.effect.checkout ? -1 : 1));
}

/** What stand-in buyers would meet otherwise. */
function Buyers({ found }: { found: Schemas["ReviewView"] }) {
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
function RealBuyers({ code, site }: { code: string; site: Schemas["SiteView"] }) {
  const queries = useQueryClient();
  const { mayConfigure } = useRole(code);
  const asked = useMutation({
    mutationFn: () =>
      data(api.POST("/desk/api/sites/{site}/live-buyers", { params: { path: { site: code } } })),
    onSettled: () => refresh(queries, code),
  });
  const missing = asked.error instanceof Refused ? asked.error.problem.errors : [];
  if (site.live_since) {
    return (
      <Section aria-labelledby="live">
        <h2 id="live">Open for real buyers</h2>
        <p className="quiet">
          Since {when(site.live_since)}. Whoever comes through the website&rsquo;s buttons pays real money and
          meets release {site.release?.number}. Test links are under On the site.
        </p>
      </Section>
    );
  }
  return (
    <Section aria-labelledby="live">
      <h2 id="live">Not open for real buyers yet</h2>
      <p className="quiet">
        Until then every sale is a test sale. It needs a gateway connected for live and a release.
      </p>
      {asked.error ? (
        <Notice kind="error" title="Not yet">
          {missing.length
            ? missing.map((one) => `${one.message}. ${one.remedy}.`).join(" ")
            : asked.error.message}
        </Notice>
      ) : null}
      <div>
        <Confirm
          isPending={asked.isPending}
          isDisabled={!mayConfigure}
          question="It cannot be taken back: the website’s buttons then take real money."
          sure="Open it"
          onConfirm={() => asked.mutate()}
        >
          Open for real buyers
        </Confirm>
      </div>
    </Section>
  );
}
