import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Form } from "react-aria-components";
import { useNavigate } from "react-router";

import { api, data, fieldProblem, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Country } from "../../kit/fields/Country";
import { Field } from "../../kit/fields/Field";
import { TimeZone } from "../../kit/fields/TimeZone";
import { OFFERED } from "../../kit/format/currencies";
import { inFull } from "../../kit/format/webAddress";
import { Notice } from "../../kit/Notice";
import { Row } from "../../kit/Sheet";
import { countries } from "../queries";
import { Outside } from "../room/Outside";
import { Waiting } from "../room/Waiting";

interface Typed {
  name: string;
  url: string;
  country: string;
  currency: string;
  time_zone: string;
  region: string;
}

/** Another website that is to be given sales. */
export function NewSite({ first }: { first: boolean }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const known = useQuery(countries);
  const [said, setSaid] = useState<Partial<Typed>>({ url: "https://" });
  const asked = useMutation({
    mutationFn: (body: Typed) => data(api.POST("/desk/api/sites", { body })),
    onSuccess: async ({ code }) => {
      await queries.invalidateQueries({ queryKey: ["me"] });
      await navigate(`/s/${code}/products`);
    },
  });
  if (!known.data) return <Waiting away={known.failureCount > 0} again={() => void known.refetch()} />;
  // What was not said is as usual: the country where this clock hangs, its currency, its time.
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone;
  const home = said.country ?? known.data.find((one) => one.time_zones.includes(here))?.code ?? "NL";
  const usual = known.data.find((one) => one.code === home);
  const zones = usual?.time_zones ?? [];
  const typed: Typed = {
    name: "",
    url: "",
    country: home,
    currency: usual?.currency ?? "EUR",
    time_zone: zones.includes(here) ? here : (zones[0] ?? here),
    region: "",
    ...said,
  };
  const set = (name: keyof Typed) => (value: string) => setSaid({ ...said, [name]: value });
  const problem = (name: string) => fieldProblem(asked.error, name);
  return (
    <Outside>
      <header>
        <h1>{first ? "Add your first site" : "Add a site"}</h1>
        <p className="quiet">
          The website that a business already has. All of this can be changed until its first sale to a real
          buyer.
        </p>
      </header>
      {asked.error && !Object.keys(typed).some(problem) ? (
        <Notice kind="error">
          {asked.error instanceof Refused ? asked.error.problem.detail : asked.error.message}
        </Notice>
      ) : null}
      <Form
        onSubmit={(event) => {
          event.preventDefault();
          const body = { ...typed, url: inFull(typed.url) };
          setSaid({ ...said, url: body.url });
          asked.mutate(body);
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
            onChange={(country) => setSaid({ name: typed.name, url: typed.url, country })}
            problem={problem("country")}
          />
          {usual?.regions.length ? (
            <Choice
              label={home === "US" ? "State" : "Province"}
              value={typed.region}
              options={[["", "Choose …"], ...usual.regions.map(({ code, name }) => [code, name] as const)]}
              onChange={set("region")}
              problem={problem("region")}
            />
          ) : null}
          <Choice
            label="Currency of its prices"
            value={typed.currency}
            options={OFFERED}
            onChange={set("currency")}
            problem={problem("currency")}
          />
          <TimeZone
            label="Time zone"
            value={typed.time_zone}
            likely={zones}
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
