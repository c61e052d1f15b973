import { useQueryClient, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { data, api, fieldProblem, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Body, Row } from "../../kit/Sheet";
import { historyOf } from "../editing/editHistory";
import { refresh } from "../queries";
import { useGo } from "../room/places";

export function NewCoupon({ code }: { code: string }) {
  const [name, setName] = useState("");
  const [percent, setPercent] = useState("10");
  const queries = useQueryClient();
  const go = useGo();
  const asked = useMutation({
    mutationFn: () =>
      data(
        api.PUT("/desk/api/sites/{site}/parts/{kind}/{part_id}", {
          params: { path: { site: code, kind: "coupon", part_id: name.trim() || "-" } },
          body: { seen: 0, body: { id: name.trim(), percent: percent.trim() } },
        }),
      ),
    onSuccess: async (made) => {
      historyOf(code).note(made, made.id, null);
      await refresh(queries, code);
      go(`/s/${code}/coupons/${made.id}`);
    },
  });
  const known = ["id", "percent"].some((path) => fieldProblem(asked.error, path));
  return (
    <Body>
      <header>
        <h1>Add a coupon</h1>
        <p className="quiet">It goes into the draft. Nobody can use it before the next release.</p>
      </header>
      {asked.error && !known ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : "It was not stored. Try again."}
        </Notice>
      ) : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          asked.mutate();
        }}
        style={{ display: "flex", flexDirection: "column", gap: 16 }}
      >
        <Row>
          <Field
            label="Code"
            hint="What buyers type, as in SPRING-10. Small and capital letters are alike."
            value={name}
            onChange={setName}
            autoFocus
            problem={fieldProblem(asked.error, "id")}
          />
          <Field
            label="Percent off"
            hint="It can become an amount afterwards."
            decimal
            value={percent}
            onChange={setPercent}
            problem={fieldProblem(asked.error, "percent")}
          />
        </Row>
        <div>
          <Button type="submit" look="main" isPending={asked.isPending}>
            Add the coupon
          </Button>
        </div>
      </Form>
    </Body>
  );
}
