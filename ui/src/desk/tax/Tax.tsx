// Who sells and where they are registered, in sentences; and the map of what that means, country by country.
import { useQuery } from "@tanstack/react-query";
import type { Schemas } from "../../api/client";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { countryName } from "../../kit/format/countries";
import { Notice } from "../../kit/Notice";
import { Body, Section } from "../../kit/Sheet";
import { type TaxBody, withValue } from "../editing/bodies";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { useSite, part, treatments } from "../queries";
import { TaxRooms } from "../room/StageRooms";
import { OwnRates } from "./OwnRates";
import { NearThreshold, Registered, AddRegistration } from "./Registrations";
import { TreatmentMap } from "./TreatmentMap";
import { slots } from "../editing/slots";

export const Tax = () => (
  <PartRoom rooms={<TaxRooms />} name="Tax" kind="tax">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const site = useSite(code).data;
  const home = useQuery(part(code, "site", "-")).data?.part.body as { country?: string } | undefined;
  const map = useQuery(treatments(code, site?.change ?? 0)).data;
  const body = draft.body as TaxBody;
  const store = (next: TaxBody) => draft.edit(next);
  const registrations = body.registrations ?? [];
  const rates = body.rates ?? [];
  const { at, problems } = slots(problem, off);
  return (
    <Body>
      <header>
        <h1>Tax</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      {map?.threshold?.counts && map.threshold.state !== "below" ? (
        <NearThreshold of={map.threshold} />
      ) : null}
      <Sentence problems={problems}>
        The business is in <strong>{countryName(home?.country ?? "")}</strong> and{" "}
        <SlotChoice
          label="Whether tax is charged"
          value={body.exempt ? "exempt" : "charges"}
          options={[
            ["charges", "charges tax"],
            ["exempt", "charges no tax, as a small business"],
          ]}
          {...at("exempt")}
          onChange={(which) =>
            store(
              withValue(body, "exempt", which === "exempt" ? { sentence: "No tax is charged." } : undefined),
            )
          }
        />
        .
        {body.exempt ? (
          <>
            {" "}
            Its papers say:{" "}
            <SlotText
              label="Sentence on papers"
              value={body.exempt.sentence}
              {...at("exempt.sentence")}
              onChange={(sentence) => store({ ...body, exempt: { sentence } })}
            />
          </>
        ) : (
          <>
            {" "}
            Amounts{" "}
            <SlotChoice
              label="Whether amounts include tax"
              value={body.included === false ? "on-top" : "included"}
              options={[
                ["included", "include tax"],
                ["on-top", "are without tax, which is added"],
              ]}
              {...at("included")}
              onChange={(which) => store({ ...body, included: which === "included" })}
            />
            ; where none is due,{" "}
            <SlotChoice
              label="Where no tax is due"
              value={body.when_untaxed ?? "deduct"}
              options={[
                ["deduct", "the home tax comes off"],
                ["keep", "the amount stays as it is"],
              ]}
              {...at("when_untaxed")}
              onChange={(when_untaxed) => store({ ...body, when_untaxed })}
            />
            . Tax is rounded{" "}
            <SlotChoice
              label="How tax is rounded"
              value={body.rounding ?? "line"}
              options={[
                ["line", "for each line"],
                ["rate", "for the sum of each rate"],
              ]}
              {...at("rounding")}
              onChange={(rounding) => store({ ...body, rounding })}
            />
            . A business’s tax number counts when it is{" "}
            <SlotChoice
              label="What a tax number needs to count"
              value={body.business_proof ?? "confirmed"}
              options={[
                ["confirmed", "confirmed by the official register"],
                ["well_formed", "well formed"],
              ]}
              {...at("business_proof")}
              onChange={(business_proof) => store({ ...body, business_proof })}
            />
            .
          </>
        )}
      </Sentence>
      <Section aria-labelledby="registrations">
        <h2 id="registrations">Where it is registered</h2>
        {registrations.map((one, i) => (
          <Registered
            key={`${one.place ?? one.scheme ?? ""} ${i}`}
            one={one}
            isDisabled={off}
            problem={(path) => problem(`registrations[${i}]${path}`)}
            onChange={(next) =>
              store({ ...body, registrations: registrations.map((r, j) => (j === i ? next : r)) })
            }
            onRemove={() => store({ ...body, registrations: registrations.filter((_, j) => j !== i) })}
          />
        ))}
        {problem("registrations") ? <Notice kind="attention">{problem("registrations")}</Notice> : null}
        {off ? null : (
          <AddRegistration
            registrations={registrations}
            onAdd={(one) => store({ ...body, registrations: [...registrations, one] })}
          />
        )}
      </Section>
      <OwnRates
        rates={rates}
        isDisabled={off}
        problem={(i, name) => problem(`rates[${i}].${name}`) ?? problem(`rates[${i}]`)}
        trouble={problem("rates")}
        onChange={(next) => store(withValue(body, "rates", next.length ? next : undefined))}
      />
      {map ? <TreatmentMap map={map} /> : null}
    </Body>
  );
}
