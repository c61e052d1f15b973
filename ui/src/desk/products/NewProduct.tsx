import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";

import { api, data, fieldProblem, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Row } from "../../kit/Sheet";
import { idFor, KINDS, type ProductKind } from "../editing/bodies";
import { historyOf } from "../editing/editHistory";
import { useGo } from "../room/places";
import { refresh, useSite } from "../queries";
import { SEVERAL } from "./PriceSlots";

const TRIES = 20;

/** A new product with its first price. Nothing is stored until it is right; what was typed stays. */
export function NewProduct({ code }: { code: string }) {
  const [name, setName] = useState("");
  const [kind, setKind] = useState<ProductKind>("goods");
  const [amount, setAmount] = useState("");
  const queries = useQueryClient();
  const go = useGo();
  const site = useSite(code).data;
  const base = site?.currencies[0] ?? "EUR";
  const asked = useMutation({
    mutationFn: async () => {
      const taken: string[] = [];
      for (let i = 0; i < TRIES; i += 1) {
        const id = idFor(name, taken);
        try {
          return await add(code, id, {
            name,
            kind,
            ...(kind === "event" ? { held_in: site?.country } : {}),
            prices: [
              {
                id,
                kind: "once",
                amount: { [base]: amount.trim() },
                ...(kind === "goods" || kind === "event" ? { quantity: { min: 1, max: SEVERAL } } : {}),
              },
            ],
          });
        } catch (error) {
          if (!isTaken(error)) throw error;
          taken.push(id);
        }
      }
      throw new Error("No free name was found. Give it another name.");
    },
    onSuccess: async (made) => {
      historyOf(code).note(made, name, null);
      await refresh(queries, code);
      go(`/s/${code}/products/${made.id}`);
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
          {asked.error instanceof Refused ? asked.error.problem.detail : asked.error.message}
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
            currency={base}
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

const add = (code: string, id: string, body: Record<string, unknown>) =>
  data(
    api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
      params: { path: { site: code, kind: "product", part_id: id } },
      body: { seen: 0, body },
    }),
  );

/** Another product or price has this id already: the next one is tried. */
function isTaken(error: unknown): boolean {
  return (
    error instanceof Refused &&
    error.problem.errors.length > 0 &&
    error.problem.errors.every((one) => one.path === "id" || one.path === "prices[0].id")
  );
}
