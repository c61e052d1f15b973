import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { useNavigate } from "react-router";

import { api, data, fieldProblem, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Country } from "../../kit/fields/Country";
import { Field } from "../../kit/fields/Field";
import { Notice } from "../../kit/Notice";
import { Row } from "../../kit/Sheet";
import { Outside } from "../room/Outside";

/** Another website that is to be given sales. */
export function NewSite({ first }: { first: boolean }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const [typed, setTyped] = useState({
    name: "",
    url: "https://",
    country: "NL",
    currency: "EUR",
    time_zone: Intl.DateTimeFormat().resolvedOptions().timeZone || "Europe/Amsterdam",
  });
  const set = (name: keyof typeof typed) => (value: string) => setTyped({ ...typed, [name]: value });
  const asked = useMutation({
    mutationFn: () => data(api.POST("/desk/api/sites", { body: typed })),
    onSuccess: async ({ code }) => {
      await queries.invalidateQueries({ queryKey: ["me"] });
      await navigate(`/s/${code}/products`);
    },
  });
  const problem = (name: string) => fieldProblem(asked.error, name);
  const known = Object.keys(typed).some(problem);
  return (
    <Outside>
      <header>
        <h1>{first ? "Add your first site" : "Add a site"}</h1>
        <p className="quiet">
          The website that a business already has. Its name, address and time zone can be changed later.
        </p>
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
      >
        <Field
          label="Name of the business"
          value={typed.name}
          onChange={set("name")}
          problem={problem("name")}
          autoFocus
        />
        <Field
          label="Address of the website"
          value={typed.url}
          onChange={set("url")}
          problem={problem("url")}
        />
        <Row>
          <Country
            label="Country of the seller"
            value={typed.country}
            onChange={set("country")}
            problem={problem("country")}
          />
          <Field
            label="Currency"
            hint="Three letters, as in EUR"
            value={typed.currency}
            onChange={(text) => set("currency")(text.toUpperCase())}
            problem={problem("currency")}
          />
          <Field
            label="Time zone"
            value={typed.time_zone}
            onChange={set("time_zone")}
            problem={problem("time_zone")}
          />
        </Row>
        <Button type="submit" look="main" isPending={asked.isPending}>
          Add the site
        </Button>
      </Form>
    </Outside>
  );
}
