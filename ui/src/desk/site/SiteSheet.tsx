import { useQuery } from "@tanstack/react-query";
import { useParams } from "react-router";

import { fieldProblem, type Schemas } from "../../api/client";
import { Field } from "../../kit/fields/Field";
import { Body, Row, Section, Sheet } from "../../kit/Sheet";
import { Title } from "../../kit/fields/Title";
import { countryName } from "../../kit/format/countries";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { Waiting } from "../room/Waiting";
import { withValue } from "../editing/bodies";
import { part } from "../queries";
import { useRole } from "../room/role";
import { useDraft } from "../editing/useDraft";

interface SiteBody {
  name: string;
  url: string;
  country: string;
  time_zone: string;
  colour?: string;
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
  const field = (name: "url" | "time_zone" | "colour", label: string, hint: string) => (
    <Field
      label={label}
      hint={hint}
      value={body[name] ?? ""}
      onChange={(value) => draft.edit(withValue(body, name, value.trim()))}
      problem={fieldProblem(error, name)}
      isDisabled={!mayConfigure}
    />
  );
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
      <p>It sells from {countryName(body.country)}: taxes and invoices hang on that, so it stays.</p>
      <Section aria-labelledby="where">
        <h2 id="where">Where it is found</h2>
        {field("url", "Address of the website", "Only its pages may open a checkout over themselves.")}
        <Row>
          {field("time_zone", "Time zone", "A day ends at midnight there, as in Europe/Amsterdam.")}
          {field("colour", "Colour of the pay button", "Six digits, as in #6A2C38")}
        </Row>
      </Section>
    </Body>
  );
}
