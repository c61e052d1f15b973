import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import { Link, useNavigate, useParams } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Choice } from "../kit/Choice";
import { Empty } from "../kit/Empty";
import { Field } from "../kit/Field";
import { Notice } from "../kit/Notice";
import { Body, Row, Section, Sheet, Side, SideLink } from "../kit/Sheet";
import { SaveLine, SaveTrouble } from "./SaveLine";
import { Waiting } from "./Waiting";
import { idFor, withValue, type CheckoutBody } from "./bodies";
import { checkouts, refresh } from "./queries";
import { useDraft } from "./useDraft";

/** The stage Checkouts: the list, and one checkout beside it. */
export function Checkouts() {
  const { site: code = "", id } = useParams();
  const asked = useQuery(checkouts(code));
  const queries = useQueryClient();
  const navigate = useNavigate();
  const adding = useMutation({
    mutationFn: ({ id: fresh, price }: { id: string; price: Schemas["PriceAmounts"] }) =>
      data(
        api.PUT("/desk/api/sites/{site}/checkouts/{part_id}", {
          params: { path: { site: code, part_id: fresh } },
          body: { seen: 0, body: { name: price.name, prices: [price.price] } },
        }),
      ),
    onSuccess: async (part) => {
      await refresh(queries, code);
      await navigate(`/s/${code}/checkouts/${part.id}`);
    },
  });
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const { parts, prices } = asked.data;
  const chosen = parts.find((part) => part.id === id) ?? (id === undefined ? parts[0] : undefined);
  const add = () => {
    const free =
      prices.find((price) => !parts.some((part) => bodyOf(part).prices.includes(price.price))) ?? prices[0];
    if (free)
      adding.mutate({
        id: idFor(
          free.name,
          parts.map((part) => part.id),
        ),
        price: free,
      });
  };
  const adder = (look?: "main") => (
    <Button look={look} onPress={add} isDisabled={prices.length === 0} isPending={adding.isPending}>
      Add a checkout
    </Button>
  );
  return (
    <Sheet tabIndex={-1} aria-label="Checkouts">
      <Side aria-label="All checkouts">
        <div className="top">{adder()}</div>
        <ul>
          {parts.map((part) => (
            <li key={part.id}>
              <SideLink
                to={`/s/${code}/checkouts/${part.id}`}
                className={part === chosen && id === undefined ? "active" : ""}
              >
                <strong>{bodyOf(part).name}</strong>
                <span>{wordsFor(bodyOf(part), prices)}</span>
              </SideLink>
            </li>
          ))}
        </ul>
      </Side>
      {adding.error ? (
        <Body>
          <Notice kind="error">
            {adding.error instanceof Refused ? adding.error.problem.detail : "It was not added."}
          </Notice>
        </Body>
      ) : chosen ? (
        <CheckoutEditor key={chosen.id} code={code} part={chosen} prices={prices} />
      ) : (
        <Empty title={parts.length ? "No such checkout" : "No checkout yet"} action={adder("main")}>
          {prices.length
            ? "A checkout is the form in which a buyer pays for a price you choose."
            : "A checkout sells a price. Add a product first."}
        </Empty>
      )}
    </Sheet>
  );
}

const bodyOf = (part: Schemas["Part"]) => part.body as unknown as CheckoutBody;

function priceWords(price: Schemas["PriceAmounts"]): string {
  const amount = price.amounts[0];
  return `${price.name}, ${amount?.currency ?? ""} ${amount?.amount ?? ""} once`;
}

function wordsFor(body: CheckoutBody, prices: Schemas["PriceAmounts"][]): string {
  const price = prices.find((one) => one.price === body.prices[0]);
  return price ? priceWords(price) : "no price";
}

interface Props {
  code: string;
  part: Schemas["Part"];
  prices: Schemas["PriceAmounts"][];
}

/** One checkout: what it sells, and its wording. */
function CheckoutEditor({ code, part, prices }: Props) {
  const save = useCallback(
    (seen: number, body: Record<string, unknown>) =>
      data(
        api.PUT("/desk/api/sites/{site}/checkouts/{part_id}", {
          params: { path: { site: code, part_id: part.id } },
          body: { seen, body },
        }),
      ),
    [code, part.id],
  );
  const draft = useDraft(part, save, checkouts(code).queryKey);
  const body = draft.body as unknown as CheckoutBody;
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const set = (name: string, value: unknown) => draft.edit(withValue(body, name, value));
  return (
    <Body>
      <header>
        <h1>{body.name || "Unnamed"}</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble state={draft.state} keepMine={draft.keepMine} takeTheirs={draft.takeTheirs} />
      <Section aria-labelledby="sells">
        <h2 id="sells">What it sells</h2>
        <Row>
          <Choice
            label="Price"
            value={body.prices[0] ?? ""}
            options={prices.map((price) => [price.price, priceWords(price)] as const)}
            onChange={(price) => set("prices", [price])}
            problem={fieldProblem(error, "prices[0]")}
          />
          <Field
            label="Name at the desk"
            value={body.name}
            onChange={(value) => set("name", value)}
            problem={fieldProblem(error, "name")}
          />
        </Row>
      </Section>
      <Section aria-labelledby="wording">
        <h2 id="wording">What the buyer reads</h2>
        <Field
          label="Heading"
          hint="Left empty, the name at the desk stands there."
          value={body.heading ?? ""}
          onChange={(value) => set("heading", value)}
          problem={fieldProblem(error, "heading")}
        />
        <Field
          label="Text under the heading"
          lines
          value={body.text ?? ""}
          onChange={(value) => set("text", value)}
          problem={fieldProblem(error, "text")}
        />
        <Row>
          <Field
            label="Pay button"
            hint="The amount is written behind it."
            value={body.button ?? "Pay"}
            onChange={(value) => set("button", value)}
            problem={fieldProblem(error, "button")}
          />
        </Row>
      </Section>
      <p>
        <Link to={`/s/${code}/on-the-site`}>Put it on the site</Link>
      </p>
    </Body>
  );
}
