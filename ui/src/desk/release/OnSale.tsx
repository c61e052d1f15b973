// Whether orders are taken: stopping at once what must not be sold, closing for who comes, and opening again.
import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useParams } from "react-router";

import { api, data, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Confirm } from "../../kit/Confirm";
import { Field } from "../../kit/fields/Field";
import { Finder, fitting, type Choosable } from "../../kit/fields/Finder";
import { Notice } from "../../kit/Notice";
import { Body, Section, Sheet, Table } from "../../kit/Sheet";
import { when } from "../../kit/format/when";
import { Waiting } from "../room/Waiting";
import { parts, refresh, selling, useSite } from "../queries";
import { useRole } from "../room/role";

type View = Schemas["SellingView"];
type Kind = "product" | "checkout";

/** The room: how the site stands, which parts are stopped, and what was said. */
export function OnSale() {
  const { site: code = "" } = useParams();
  const asked = useQuery(selling(code));
  const { data: site } = useSite(code);
  if (!asked.data || !site)
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <Sheet tabIndex={-1} aria-label="On sale">
      <Body>
        <header>
          <h1>On sale</h1>
          <p className="quiet">
            What is stopped here takes no new orders, at once, not even from buyers who are about to pay.
            Renewals, payments under way, refunds and account pages go on.
          </p>
        </header>
        <WholeSite code={code} view={asked.data} live={Boolean(site.live_since)} />
        <Parts code={code} view={asked.data} />
        <Said code={code} view={asked.data} />
      </Body>
    </Sheet>
  );
}

function useSaid(code: string) {
  const queries = useQueryClient();
  return () => refresh(queries, code);
}

const STANDS = {
  opened: "Orders are taken.",
  closed: "Closed for whoever comes. Buyers under way may still pay.",
  stopped: "Stopped. Nobody can order anything.",
};

function WholeSite({ code, view, live }: { code: string; view: View; live: boolean }) {
  const { maySell } = useRole(code);
  const [words, setWords] = useState(view.words);
  const said = useSaid(code);
  const setting = useMutation({
    mutationFn: (state: View["state"]) =>
      data(
        api.PUT("/desk/api/sites/{site}/selling", {
          params: { path: { site: code } },
          body: { state, words },
        }),
      ),
    onSettled: said,
  });
  return (
    <Section aria-labelledby="whole">
      <h2 id="whole">The whole site</h2>
      <p>
        <strong>{STANDS[view.state]}</strong>{" "}
        {live ? "" : "The site is not open for real buyers yet: this holds for test sales from the website."}
      </p>
      {view.words ? <p className="quiet">Buyers read: “{view.words}”</p> : null}
      {setting.error ? <Notice kind="error">{setting.error.message}</Notice> : null}
      {maySell ? (
        <>
          <Field
            label="What buyers read instead of the checkout"
            hint="Left empty: that no orders are taken at the moment."
            lines
            value={words}
            onChange={setWords}
          />
          <div style={{ display: "flex", flexWrap: "wrap", gap: 10 }}>
            {view.state === "stopped" ? null : (
              <Button look="grave" isPending={setting.isPending} onPress={() => setting.mutate("stopped")}>
                Stop all sales now
              </Button>
            )}
            {view.state === "closed" ? null : (
              <Button isPending={setting.isPending} onPress={() => setting.mutate("closed")}>
                Close for whoever comes
              </Button>
            )}
            {view.state === "opened" || words.trim() === view.words ? null : (
              <Button isPending={setting.isPending} onPress={() => setting.mutate(view.state)}>
                Say this instead
              </Button>
            )}
            {view.state === "opened" ? null : (
              <Confirm
                isPending={setting.isPending}
                question="Buyers can order again at once."
                sure="Take orders"
                onConfirm={() => {
                  setWords("");
                  setting.mutate("opened");
                }}
              >
                Take orders again
              </Confirm>
            )}
          </div>
        </>
      ) : null}
    </Section>
  );
}

function Parts({ code, view }: { code: string; view: View }) {
  const { maySell } = useRole(code);
  const [words, setWords] = useState("");
  const [typed, setTyped] = useState<string>();
  const search = useDeferredValue(typed ?? "");
  const said = useSaid(code);
  const products = useInfiniteQuery(parts(code, "product", search));
  const checkouts = useInfiniteQuery(parts(code, "checkout", search));
  const path = (kind: Kind, id: string) => ({ params: { path: { site: code, kind, part_id: id } } });
  const stopping = useMutation({
    mutationFn: ({ kind, id }: { kind: Kind; id: string }) =>
      data(
        api.PUT("/desk/api/sites/{site}/stopped/{kind}/{part_id}", { ...path(kind, id), body: { words } }),
      ),
    onSuccess: () => setWords(""),
    onSettled: said,
  });
  const starting = useMutation({
    mutationFn: ({ kind, id }: { kind: Kind; id: string }) =>
      data(api.DELETE("/desk/api/sites/{site}/stopped/{kind}/{part_id}", path(kind, id))),
    onSettled: said,
  });
  const name = useNames(code);
  const choices = [
    ...choosable("product", products.data?.pages[0]?.parts),
    ...choosable("checkout", checkouts.data?.pages[0]?.parts),
  ].filter((one) => !view.stopped.some((stopped) => one.key === `${stopped.kind} ${stopped.id}`));
  return (
    <Section aria-labelledby="parts">
      <h2 id="parts">A product or a checkout</h2>
      {view.stopped.length ? (
        <Table>
          <tbody>
            {view.stopped.map((one) => (
              <tr key={`${one.kind} ${one.id}`}>
                <th scope="row">
                  {name(one.kind, one.id)}
                  <br />
                  <span className="quiet">
                    {one.kind}, stopped {when(one.at)}
                    {one.by ? ` by ${one.by}` : ""}
                  </span>
                </th>
                <td className="quiet">{one.words ? `“${one.words}”` : ""}</td>
                <td>
                  {maySell ? (
                    <Button look="plain" onPress={() => starting.mutate(one)}>
                      Sell it again
                    </Button>
                  ) : null}
                </td>
              </tr>
            ))}
          </tbody>
        </Table>
      ) : (
        <p className="quiet">Nothing is stopped by itself.</p>
      )}
      {(stopping.error ?? starting.error) ? (
        <Notice kind="error">{(stopping.error ?? starting.error)?.message}</Notice>
      ) : null}
      {maySell ? (
        <>
          <Field
            label="What buyers read of it"
            hint="Left empty: that it is not sold at the moment."
            value={words}
            onChange={setWords}
          />
          {typed === undefined ? (
            <div>
              <Button onPress={() => setTyped("")}>Stop a product or a checkout</Button>
            </div>
          ) : (
            <Finder
              label="Which one is stopped at once"
              atOnce
              placeholder="Its name"
              found={fitting(choices, typed, search !== typed || products.isFetching || checkouts.isFetching)}
              typed={typed}
              onType={setTyped}
              onChoose={(key) => {
                setTyped(undefined);
                const [kind, id] = key.split(" ");
                stopping.mutate({ kind: kind as Kind, id: id ?? "" });
              }}
            />
          )}
        </>
      ) : null}
    </Section>
  );
}

const choosable = (kind: Kind, found: Schemas["PartLineView"][] | undefined): Choosable[] =>
  (found ?? []).map((one) => ({ key: `${kind} ${one.id}`, name: one.name, kind }));

/** What things are called, as far as their lists have been read. */
function useNames(code: string) {
  const products = useInfiniteQuery(parts(code, "product", "")).data?.pages[0]?.parts ?? [];
  const checkouts = useInfiniteQuery(parts(code, "checkout", "")).data?.pages[0]?.parts ?? [];
  return (kind: string, id: string) =>
    (kind === "product" ? products : checkouts).find((one) => one.id === id)?.name ?? id;
}

const DONE = { opened: "sells again", closed: "closed for whoever comes", stopped: "stopped" };

function Said({ code, view }: { code: string; view: View }) {
  const name = useNames(code);
  if (!view.changes.length) return null;
  return (
    <Section aria-labelledby="said">
      <h2 id="said">Who said what</h2>
      <Table>
        <tbody>
          {view.changes.map((one) => (
            <tr key={`${one.at} ${one.kind} ${one.id}`}>
              <th scope="row">
                {one.kind === "site" ? "The whole site" : name(one.kind, one.id)} {DONE[one.state]}
              </th>
              <td className="quiet">{one.words ? `“${one.words}”` : ""}</td>
              <td className="quiet">
                {when(one.at)}
                {one.by ? `, ${one.by}` : ""}
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
    </Section>
  );
}
