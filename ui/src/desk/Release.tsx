import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useParams } from "react-router";
import { styled } from "styled-components";

import { api, data, Refused, type Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Notice } from "../kit/Notice";
import { Body, Section, Sheet, Table } from "../kit/Sheet";
import { refresh, useSite } from "./queries";

const Title = styled.div`
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  justify-content: space-between;
`;

const KINDS: Record<string, string> = {
  site: "Site",
  currencies: "Currencies",
  tax: "Tax",
  product: "Product",
  checkout: "Checkout",
};

const when = (at: string) =>
  new Date(at).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });

/** What changed since the last release, looked through before real buyers meet it. */
export function Release() {
  const { site: code = "" } = useParams();
  const { data: site } = useSite(code);
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: (seen: number) =>
      data(api.POST("/desk/api/sites/{site}/releases", { params: { path: { site: code } }, body: { seen } })),
    onSettled: () => refresh(queries, code),
  });
  if (!site) return null;
  const next = (site.release?.number ?? 0) + 1;
  return (
    <Sheet tabIndex={-1} aria-label="Review and release">
      <Body>
        <header>
          <h1>Review and release</h1>
          <p className="quiet">
            Real buyers meet the last release, never the draft.
            {site.release
              ? ` Release ${site.release.number} was made ${when(site.release.at)} by ${site.release.by ?? "the demo"}.`
              : " Nothing has been released yet."}
          </p>
        </header>
        {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
        {site.changed.length === 0 ? (
          <Notice>The draft is as it was released. There is nothing to release.</Notice>
        ) : (
          <Section aria-labelledby="changed">
            <Title>
              <h2 id="changed">
                {site.changed.length === 1 ? "1 part changed" : `${site.changed.length} parts changed`}
              </h2>
              <Button look="main" isPending={asked.isPending} onPress={() => asked.mutate(site.change)}>
                Make release {next}
              </Button>
            </Title>
            <Table>
              <thead>
                <tr>
                  <th scope="col">Part</th>
                  <th scope="col">Name</th>
                  <th scope="col">Last edited</th>
                </tr>
              </thead>
              <tbody>
                {site.changed.map((part) => (
                  <tr key={`${part.kind} ${part.id}`}>
                    <td>{KINDS[part.kind] ?? part.kind}</td>
                    <td>
                      {part.name === "-" ? "" : part.name}
                      {part.archived ? " (archived)" : ""}
                    </td>
                    <td className="quiet">{when(part.at)}</td>
                  </tr>
                ))}
              </tbody>
            </Table>
          </Section>
        )}
        <RealBuyers code={code} site={site} />
      </Body>
    </Sheet>
  );
}

/** Whether real buyers can pay, and the press that lets them. */
function RealBuyers({ code, site }: { code: string; site: Schemas["SiteView"] }) {
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: () => data(api.POST("/desk/api/sites/{site}/live", { params: { path: { site: code } } })),
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
        Until then every sale is a test sale. It needs a gateway connected for live and a release, and cannot
        be taken back: the website&rsquo;s buttons then take real money.
      </p>
      {asked.error ? (
        <Notice kind="error" title="Not yet">
          {missing.length
            ? missing.map((one) => `${one.message}. ${one.remedy}.`).join(" ")
            : asked.error.message}
        </Notice>
      ) : null}
      <div>
        <Button isPending={asked.isPending} onPress={() => asked.mutate()}>
          Open for real buyers
        </Button>
      </div>
    </Section>
  );
}
