import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { useNavigate } from "react-router";

import { api, data, fieldProblem, Refused, type Schemas } from "../api/client";
import { Button } from "../kit/Button";
import { Choice } from "../kit/Choice";
import { Field } from "../kit/Field";
import { Notice } from "../kit/Notice";
import { Body, Row } from "../kit/Sheet";
import { idFor, KINDS, type ProductKind } from "./bodies";
import { refresh } from "./queries";

/** A new product with its first price. Nothing is stored until it is right; what was typed stays. */
export function NewProduct({ code, parts }: { code: string; parts: Schemas["Parts"] }) {
  const [name, setName] = useState("");
  const [kind, setKind] = useState<ProductKind>("goods");
  const [amount, setAmount] = useState("");
  const queries = useQueryClient();
  const navigate = useNavigate();
  const base = parts.prices[0]?.amounts[0]?.currency ?? "EUR";
  const id = idFor(
    name,
    parts.parts.map((part) => part.id),
  );
  const price = idFor(
    name,
    parts.prices.map((one) => one.price),
  );
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/desk/api/sites/{site}/products/{part_id}", {
          params: { path: { site: code, part_id: id } },
          body: {
            seen: 0,
            body: {
              name,
              kind,
              ...(kind === "event" ? { held_in: "NL" } : {}),
              prices: [{ id: price, kind: "once", amount: { [base]: amount.trim() } }],
            },
          },
        }),
      ),
    onSuccess: async () => {
      await refresh(queries, code);
      await navigate(`/s/${code}/products/${id}`);
    },
  });
  const fields = ["name", `prices[0].amount.${base}`];
  const known = fields.some((path) => fieldProblem(asked.error, path));
  return (
    <Body>
      <header>
        <h1>Add a product</h1>
        <p className="quiet">It goes into the draft. Real buyers meet it after the next release.</p>
      </header>
      {asked.error && !known ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : String(asked.error)}
        </Notice>
      ) : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
        style={{ display: "flex", flexDirection: "column", gap: 16 }}
      >
        <Field
          label="Name for buyers"
          value={name}
          onChange={setName}
          autoFocus
          problem={fieldProblem(asked.error, "name")}
        />
        <Row>
          <Choice label="Kind" value={kind} options={KINDS} onChange={setKind} />
          <Field
            label={`Charge once, in ${base}`}
            hint="With tax included, as in 48.00"
            amount
            value={amount}
            onChange={setAmount}
            problem={fieldProblem(asked.error, `prices[0].amount.${base}`)}
          />
        </Row>
        <div>
          <Button type="submit" look="main" isPending={asked.isPending}>
            Add the product
          </Button>
        </div>
      </Form>
    </Body>
  );
}
