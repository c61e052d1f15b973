import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { useParams } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Country } from "../../kit/fields/Country";
import { Empty } from "../../kit/Empty";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Row, Section, Sheet } from "../../kit/Sheet";
import { Title } from "../../kit/fields/Title";
import { ArchivePart } from "../editing/ArchivePart";
import { PartList } from "../editing/PartList";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { Waiting } from "../room/Waiting";
import { idFor, without, withValue } from "../editing/bodies";
import { historyOf } from "../editing/editHistory";
import { useGo } from "../room/places";
import { part, parts, refresh, useSite } from "../queries";
import { useRole } from "../room/role";
import { asSaved, CARDS, useTape, type Card } from "../tape/tapeState";
import { useDraft } from "../editing/useDraft";
import { useWaysOffered } from "../editing/useWaysOffered";

interface NewBuyer {
  name: string;
  person: string;
  email: string;
  country: string;
  region?: string;
  postal_code?: string;
  currency: string;
  business?: boolean;
  tax_number?: string;
  card?: Card;
  pays_with?: string;
  returning?: boolean;
  screen?: "desktop" | "phone";
}

interface BuyerBody extends NewBuyer {
  id: string;
  [other: string]: unknown;
}

/** Stand-in buyers: the list, and one beside it. */
export function StandInBuyers() {
  const { site: code = "", id } = useParams();
  const [search, setSearch] = useState("");
  const sought = useDeferredValue(search.trim());
  const asked = useInfiniteQuery(parts(code, "stand_in_buyer", sought));
  const site = useSite(code).data;
  const { mayConfigure } = useRole(code);
  const { add, error, pending } = useAdd(code);
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const lines = asked.data.pages.flatMap((page) => page.parts);
  const chosen = id ?? (sought ? undefined : lines[0]?.id);
  const fresh = () =>
    add({
      name: "New buyer",
      person: "Robin Example",
      email: "robin@standin.example",
      country: site?.country ?? "NL",
      currency: site?.currencies[0] ?? "EUR",
    });
  const adder = (look?: "main") =>
    mayConfigure ? (
      <Button look={look} onPress={fresh} isPending={pending}>
        Add a stand-in buyer
      </Button>
    ) : null;
  return (
    <Sheet tabIndex={-1} aria-label="Stand-in buyers">
      <PartList
        code={code}
        kind="stand_in_buyer"
        one="stand-in buyer"
        label="All stand-in buyers"
        asked={asked}
        search={search}
        onSearch={setSearch}
        to={`/s/${code}/stand-in-buyers`}
        chosen={chosen}
        action={
          <>
            {adder()}
            {error ? <Notice kind="error">{error}</Notice> : null}
          </>
        }
      />
      {chosen ? (
        <Chosen key={chosen} code={code} id={chosen} onDuplicate={add} />
      ) : (
        <Empty title="No stand-in buyer yet" action={adder("main")}>
          A stand-in buyer is invented: tapes are made out to them, and test sales are made as if they bought.
        </Empty>
      )}
    </Sheet>
  );
}

function useAdd(code: string) {
  const queries = useQueryClient();
  const go = useGo();
  const asked = useMutation({
    mutationFn: async (body: NewBuyer) => {
      const taken: string[] = [];
      for (;;) {
        const id = idFor(body.name, taken);
        try {
          return await data(
            api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
              params: { path: { site: code, kind: "stand_in_buyer", part_id: id } },
              body: { seen: 0, body: { ...body } },
            }),
          );
        } catch (error) {
          const again = error instanceof Refused && error.problem.errors.some((one) => one.path === "id");
          if (!again || taken.length > 50) throw error;
          taken.push(id);
        }
      }
    },
    onSuccess: async (made: Schemas["Part"], body) => {
      historyOf(code).note(made, body.name, null);
      await refresh(queries, code);
      go(`/s/${code}/stand-in-buyers/${made.id}`);
    },
  });
  return {
    add: (body: NewBuyer) => asked.mutate(body),
    pending: asked.isPending,
    error: asked.error
      ? asked.error instanceof Refused
        ? asked.error.problem.detail
        : "It was not added."
      : "",
  };
}

function Chosen(props: { code: string; id: string; onDuplicate: (body: NewBuyer) => void }) {
  const asked = useQuery(part(props.code, "stand_in_buyer", props.id));
  if (asked.error instanceof Refused && asked.error.problem.status === 404)
    return <Empty title="No such stand-in buyer">It may have been archived. Choose one from the list.</Empty>;
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return <BuyerEditor code={props.code} view={asked.data} onDuplicate={props.onDuplicate} />;
}

interface Props {
  code: string;
  view: Schemas["PartView"];
  onDuplicate: (body: NewBuyer) => void;
}

function BuyerEditor({ code, view, onDuplicate }: Props) {
  const draft = useDraft(code, view.part);
  const { mayConfigure } = useRole(code);
  const site = useSite(code).data;
  const { change, main } = useTape();
  const body = draft.body as unknown as BuyerBody;
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const problem = (path: string) => fieldProblem(error, path);
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  const off = !mayConfigure;
  const onTape = main.id === view.part.id;
  const offered = useWaysOffered(code, body.pays_with ? [body.pays_with] : []);
  return (
    <Body>
      <header>
        <Title
          label="What the desk calls them"
          value={body.name}
          onChange={(value) => set("name", value)}
          problem={problem("name")}
          isDisabled={off}
        />
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <p>
        {onTape ? (
          <span className="quiet">The tape is made out to them.</span>
        ) : (
          <Button onPress={() => change({ buyer: view.part.id, ...asSaved })}>
            Make the tape out to them
          </Button>
        )}{" "}
        {mayConfigure ? (
          <Button onPress={() => onDuplicate({ ...without(body, "id"), name: `${body.name}, again` })}>
            Duplicate
          </Button>
        ) : null}
      </p>
      <Section aria-labelledby="where">
        <h2 id="where">Where and how they buy</h2>
        <Row>
          <Country
            label="Country"
            value={body.country}
            onChange={(value) => set("country", value)}
            problem={problem("country")}
            isDisabled={off}
          />
          <Field
            label="Region"
            hint="As in NY, where amounts depend on it"
            value={body.region ?? ""}
            onChange={(value) => set("region", value)}
            problem={problem("region")}
            isDisabled={off}
          />
          <Field
            label="Postal code"
            value={body.postal_code ?? ""}
            onChange={(value) => set("postal_code", value)}
            problem={problem("postal_code")}
            isDisabled={off}
          />
          <Choice
            label="Currency"
            value={body.currency}
            options={(site?.currencies ?? [body.currency]).map((one) => [one, one] as const)}
            onChange={(value) => set("currency", value)}
            problem={problem("currency")}
            isDisabled={off}
          />
          <Choice
            label="Buys as"
            value={body.business ? "business" : "consumer"}
            options={[
              ["consumer", "a consumer"],
              ["business", "a business"],
            ]}
            onChange={(value) => set("business", value === "business" ? true : undefined)}
            isDisabled={off}
          />
          <Field
            label="Tax number"
            value={body.tax_number ?? ""}
            onChange={(value) => set("tax_number", value)}
            problem={problem("tax_number")}
            isDisabled={off}
          />
          <Choice<Card>
            label="Their card is"
            value={body.card ?? "approved"}
            options={CARDS}
            onChange={(value) => set("card", value)}
            isDisabled={off}
          />
          <Choice
            label="They pay with"
            value={body.pays_with ?? ""}
            options={[["", "the first that is offered"], ...offered]}
            onChange={(value) => set("pays_with", value || undefined)}
            problem={problem("pays_with")}
            isDisabled={off}
          />
          <Choice
            label="They have bought before"
            value={body.returning ? "yes" : "no"}
            options={[
              ["no", "never"],
              ["yes", "once"],
            ]}
            onChange={(value) => set("returning", value === "yes" ? true : undefined)}
            isDisabled={off}
          />
          <Choice
            label="They look at"
            value={body.screen ?? "desktop"}
            options={[
              ["desktop", "a wide screen"],
              ["phone", "a phone"],
            ]}
            onChange={(value) => set("screen", value)}
            isDisabled={off}
          />
        </Row>
      </Section>
      <Section aria-labelledby="typed">
        <h2 id="typed">What they type at the counter</h2>
        <Row>
          <Field
            label="Name"
            value={body.person}
            onChange={(value) => set("person", value)}
            problem={problem("person")}
            isDisabled={off}
          />
          <Field
            label="Email"
            hint="Mail to it ends in the stand-in mailbox."
            value={body.email}
            onChange={(value) => set("email", value)}
            problem={problem("email")}
            isDisabled={off}
          />
        </Row>
      </Section>
      {mayConfigure ? (
        <ArchivePart code={code} part={view.part} name={body.name} to={`/s/${code}/stand-in-buyers`} />
      ) : null}
    </Body>
  );
}
