import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useParams } from "react-router";
import { styled } from "styled-components";

import { api, data, type Schemas } from "../../api/client";
import { Button, LinkButton } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Copy } from "../../kit/Copy";
import { Empty } from "../../kit/Empty";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { Waiting } from "../room/Waiting";
import { ToButton } from "../room/places";
import { placements, refresh, useSite } from "../queries";

const Code = styled.div`
  display: grid;
  grid-template-columns: 86px minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: start;
  span {
    font-size: 14px;
    color: var(--pencil);
    padding-top: 7px;
  }
  pre {
    margin: 0;
    padding: 7px 10px;
    background: var(--tape);
    border: 1px solid var(--hairline);
    border-radius: 0;
    font: 13px/1.5 var(--mono);
    white-space: pre-wrap;
    overflow-wrap: anywhere;
  }
  @media (max-width: 600px) {
    grid-template-columns: 1fr auto;
    span {
      grid-column: 1 / -1;
    }
  }
`;

/** The stage On the site: what is pasted into the website's pages. */
export function OnTheSite() {
  const { site: code = "" } = useParams();
  const asked = useQuery(placements(code));
  const { data: site } = useSite(code);
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <Sheet tabIndex={-1} aria-label="On the site">
      {asked.data.length === 0 ? (
        <Empty
          title="Nothing to put on the site yet"
          action={<ToButton to={`/s/${code}/checkouts`}>Add a checkout first</ToButton>}
        >
          Every checkout has a link, and a button that opens it over the page.
        </Empty>
      ) : (
        <Body>
          <header>
            <h1>On the site</h1>
            <p className="quiet">
              Paste the snippet where the button should stand. It is a plain link that opens the checkout over
              the page; without JavaScript the link leads to the same checkout.
            </p>
          </header>
          {site?.live_since ? null : (
            <p>
              <Stamp /> &nbsp;The site is not open for real buyers yet: every sale is a test sale, and meets
              the draft as it is now.
            </p>
          )}
          {site && !site.live_since ? <WhoTries code={code} site={site} /> : null}
          <WalkIt code={code} />
          {site?.role === "developer" ? <TestPass code={code} /> : null}
          {asked.data.map((placement) => (
            <Placement key={placement.checkout} placement={placement} />
          ))}
          {site ? <ForCarts site={site} everyday={asked.data.find((one) => one.everyday)} /> : null}
          {site ? <AccountPage site={site} /> : null}
        </Body>
      )}
    </Sheet>
  );
}

/** How pages and carts that exist already hand over what somebody has chosen, and read what it costs. */
function ForCarts({
  site,
  everyday,
}: {
  site: Schemas["SiteView"];
  everyday: Schemas["PlacementView"] | undefined;
}) {
  const link = everyday ? `${everyday.link}?items=PRICE:2:VARIANT,PRICE:1` : undefined;
  return (
    <Section aria-labelledby="for-carts">
      <h2 id="for-carts">From a cart of your own</h2>
      {link ? (
        <>
          <p>
            A link brings a whole basket: each price by its id, then how many, then the variant. With{" "}
            <code>add</code> in place of <code>items</code> it goes beside what is in the basket already.
          </p>
          <Code>
            <span>Link</span>
            <pre>{link}</pre>
            <Copy text={link}>Copy this link</Copy>
          </Code>
        </>
      ) : (
        <p>With an everyday checkout a link can bring a whole basket. Any checkout can be made it.</p>
      )}
      <p>What everything costs, in each currency, can be read by any page: it is what real buyers meet.</p>
      <Code>
        <span>Prices, as JSON</span>
        <pre>
          <a href={site.price_list} target="_blank" rel="noreferrer">
            {site.price_list}
          </a>
        </pre>
        <Copy text={site.price_list}>Copy this address</Copy>
      </Code>
    </Section>
  );
}

/** Where customers find what they have bought: a link for the website's foot, say. */
function AccountPage({ site }: { site: Schemas["SiteView"] }) {
  const snippet = `<a href="${site.account}">What you have bought</a>`;
  const framed = `<iframe src="${site.account}" title="What you have bought"
  style="width: 100%; height: 900px; border: 0" allow="payment"></iframe>`;
  return (
    <Section aria-labelledby="account-page">
      <h2 id="account-page">The account page</h2>
      <p>
        Whoever has bought something signs in there by a mailed link, and finds it all: papers, parcels, what
        waits to be paid, and their subscriptions. Each mail leads to it.
      </p>
      <Code>
        <span>Snippet</span>
        <pre>{snippet}</pre>
        <Copy text={snippet}>Copy this snippet</Copy>
      </Code>
      <Code>
        <span>Within a page</span>
        <pre>{framed}</pre>
        <Copy text={framed}>Copy this frame</Copy>
      </Code>
      <Code>
        <span>Link</span>
        <pre>
          <a
            href={site.live_since ? site.account : `${site.account}?test=1`}
            target="_blank"
            rel="noreferrer"
          >
            {site.account}
          </a>
        </pre>
        <Copy text={site.account}>Copy this link</Copy>
      </Code>
    </Section>
  );
}

/** The website as a buyer meets it, page after page, in test: also when it is open. */
function WalkIt({ code }: { code: string }) {
  return (
    <div>
      <LinkButton href={`/desk/api/sites/${code}/walk`} target="_blank" rel="noreferrer">
        Walk the website as a test buyer
      </LinkButton>
      <p className="quiet">
        Opens the website, marked for an hour in this browser: its buttons then lead to test sales of the
        draft, and a line at its foot says so.
      </p>
    </div>
  );
}

/** Links for test buyers are handed on, and sometimes too far. */
function TestPass({ code }: { code: string }) {
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: () =>
      data(api.POST("/desk/api/sites/{site}/test-pass-withdrawals", { params: { path: { site: code } } })),
    onSettled: () => refresh(queries, code, "placements"),
  });
  return (
    <div>
      {asked.isSuccess ? (
        <Notice>The test links that were given out open nothing any more. Those below are new.</Notice>
      ) : null}
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      <Confirm
        look="plain"
        isPending={asked.isPending}
        question="Whoever has one is no test buyer any more."
        sure="Withdraw them"
        onConfirm={() => asked.mutate()}
      >
        Withdraw the test links
      </Confirm>
    </div>
  );
}

/** Who may buy for a test before the site is opened: whoever brings a test link, or everybody who comes by. */
function WhoTries({ code, site }: { code: string; site: Schemas["SiteView"] }) {
  const queries = useQueryClient();
  const asked = useMutation({
    mutationFn: (everybody: boolean) =>
      data(
        api.PUT("/desk/api/sites/{site}/everybody-tries", {
          params: { path: { site: code } },
          body: { everybody },
        }),
      ),
    onSettled: () => refresh(queries, code),
  });
  const words = site.on_this_machine
    ? "The website is on this machine, so whoever comes by may try it."
    : site.everybody_tries
      ? "Whoever comes to the website may try it, and pays nothing."
      : "Whoever comes without a test link reads that it does not sell here yet.";
  return (
    <div>
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      <p className="quiet">{words}</p>
      {site.on_this_machine || site.role !== "developer" ? null : (
        <Button look="plain" isPending={asked.isPending} onPress={() => asked.mutate(!site.everybody_tries)}>
          {site.everybody_tries ? "Only with a test link" : "Let everybody try it"}
        </Button>
      )}
    </div>
  );
}

function Placement({ placement }: { placement: Schemas["PlacementView"] }) {
  return (
    <Section aria-label={placement.name}>
      <h2>{placement.name}</h2>
      <Code>
        <span>Snippet</span>
        <pre data-snippet={placement.checkout}>{placement.snippet}</pre>
        <Copy text={placement.snippet}>Copy snippet</Copy>
      </Code>
      <Code>
        <span>Link</span>
        <pre>
          <a href={placement.link} target="_blank" rel="noreferrer">
            {placement.link}
          </a>
        </pre>
        <Copy text={placement.link}>Copy link</Copy>
      </Code>
      <Code>
        <span>
          Test link <Stamp />
        </span>
        <pre>
          <a href={placement.test_link} target="_blank" rel="noreferrer">
            opens the draft for a test buyer; not for the website
          </a>
        </pre>
        <Copy text={placement.test_link}>Copy test link</Copy>
      </Code>
    </Section>
  );
}
