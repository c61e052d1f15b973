import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";

import { fieldProblem, type Schemas } from "../../api/client";
import { Field } from "../../kit/fields/Field";
import { Body, Row, Section, Sheet } from "../../kit/Sheet";
import { inFull } from "../../kit/format/webAddress";
import { Title } from "../../kit/fields/Title";
import { Colour } from "../../kit/fields/Colour";
import { Country } from "../../kit/fields/Country";
import { TimeZone } from "../../kit/fields/TimeZone";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { Waiting } from "../room/Waiting";
import { withValue } from "../editing/bodies";
import { countries, part, useSite } from "../queries";
import { useRole } from "../room/role";
import { useDraft } from "../editing/useDraft";
import { Leaving } from "./Leaving";
import { LogoField } from "./LogoField";

interface SiteBody {
  name: string;
  url: string;
  country: string;
  time_zone: string;
  colour?: string;
  logo?: string;
  [other: string]: unknown;
}

/** The site itself: what buyers read of the business, and which website it sells from. */
export function SiteSheet() {
  const { site: code = "" } = useParams();
  const asked = useQuery(part(code, "site", "-"));
  if (!asked.data) return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <Sheet tabIndex={-1} aria-label="The site">
      <SiteEditor code={code} view={asked.data} />
    </Sheet>
  );
}

function SiteEditor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const draft = useDraft(code, view.part);
  const { mayConfigure } = useRole(code);
  const body = draft.body as unknown as SiteBody;
  const error = draft.state.kind === "refused" ? draft.state.error : undefined;
  const site = useSite(code).data;
  const usual = useQuery(countries).data?.find((one) => one.code === body.country);
  return (
    <Body>
      <header>
        <Title
          label="Name of the business"
          value={body.name}
          onChange={(value) => draft.edit(withValue(body, "name", value))}
          problem={fieldProblem(error, "name")}
          isDisabled={!mayConfigure}
        />
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <Section aria-labelledby="where">
        <h2 id="where">Where it is found</h2>
        <Field
          label="Address of the website"
          hint="Only its pages may open a checkout over themselves."
          value={body.url}
          onChange={(value) => draft.edit(withValue(body, "url", value.trim()))}
          onBlur={() => {
            if (inFull(body.url) !== body.url) draft.edit(withValue(body, "url", inFull(body.url)));
          }}
          problem={fieldProblem(error, "url")}
          isDisabled={!mayConfigure}
        />
        <Colour
          label="Colour of the pay button"
          value={body.colour ?? "#2F4858"}
          onChange={(colour) => draft.edit(withValue(body, "colour", colour))}
          problem={fieldProblem(error, "colour")}
          isDisabled={!mayConfigure}
        />
        <LogoField
          logo={body.logo}
          name={body.name}
          isDisabled={!mayConfigure}
          onChange={(logo) => draft.edit(withValue(body, "logo", logo))}
        />
      </Section>
      <Section aria-labelledby="from">
        <h2 id="from">Where it sells from</h2>
        <p className="quiet">
          {site?.has_sold
            ? "Taxes and papers of what was sold hang on the country, so it stays. A day ends at midnight in the time zone."
            : "Taxes and papers hang on the country, so it can be changed until the first sale to a real buyer. A day ends at midnight in the time zone."}
        </p>
        <Row>
          <Country
            label="Country of the seller"
            value={body.country}
            onChange={(country) => draft.edit(withValue(body, "country", country))}
            problem={fieldProblem(error, "country")}
            isDisabled={!mayConfigure || site?.has_sold !== false}
          />
          <TimeZone
            label="Time zone"
            value={body.time_zone}
            likely={usual?.time_zones ?? []}
            onChange={(zone) => draft.edit(withValue(body, "time_zone", zone))}
            problem={fieldProblem(error, "time_zone")}
            isDisabled={!mayConfigure}
          />
        </Row>
      </Section>
      {mayConfigure && site ? <Leaving code={code} site={site} /> : null}
    </Body>
  );
}
