// Invoices and receipts: who they name as the seller, how they are numbered, what stands at their foot.
import { useQuery } from "@tanstack/react-query";

import type { Schemas } from "../../api/client";
import { Field } from "../../kit/fields/Field";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Body, Section } from "../../kit/Sheet";
import { countryName } from "../../kit/format/countries";
import { PartRoom, useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { TaxRooms } from "../room/StageRooms";
import { withValue, type PapersBody } from "../editing/bodies";
import { To } from "../room/places";
import { nextNumbers, part, useSite } from "../queries";
import { slots, type Slots } from "../editing/slots";

export const Papers = () => (
  <PartRoom rooms={<TaxRooms />} name="Papers" kind="papers">
    {(code, view) => <Editor code={code} view={view} />}
  </PartRoom>
);

function Editor({ code, view }: { code: string; view: Schemas["PartView"] }) {
  const { draft, problem, off } = useSinglePart(code, view);
  const site = useSite(code).data;
  const home = useQuery(part(code, "site", "-")).data?.part.body as
    { name?: string; country?: string } | undefined;
  const numbers = useQuery(nextNumbers(code, site?.change ?? 0)).data;
  const body = draft.body as PapersBody;
  const set = (name: keyof PapersBody & string, value: string) => draft.edit(withValue(body, name, value));
  const seller = slots(problem, off);
  const consumers = slots(problem, off);
  const numbering = slots(problem, off);
  const slot = (of: Slots, name: keyof PapersBody & string, label: string, placeholder: string) => (
    <SlotText
      label={label}
      value={(body[name] as string | undefined) ?? ""}
      placeholder={placeholder}
      {...of.at(name, ...(name === "city" ? ["region"] : []))}
      onChange={(value) => set(name, value)}
    />
  );
  return (
    <Body>
      <header>
        <h1>Invoices and receipts</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <Sentence problems={seller.problems}>
        They name {slot(seller, "name", "Registered name", home?.name ?? "the registered name")} as the
        seller, at {slot(seller, "street", "Street and number", "street and number")},{" "}
        {slot(seller, "postal_code", "Postal code", "postal code")} {slot(seller, "city", "City", "city")},{" "}
        {countryName(home?.country ?? "")}. Questions go to{" "}
        {slot(seller, "email", "Email for questions", "an email address")}.
      </Sentence>
      <p className="quiet">
        Tax numbers stand beside the registrations, under <To to={`/s/${code}/tax-and-delivery`}>Tax</To>.
      </p>
      <Sentence problems={consumers.problems}>
        A consumer gets{" "}
        <SlotChoice
          label="What a consumer gets"
          value={body.consumers ?? "receipt"}
          options={[
            ["receipt", "a receipt"],
            ["invoice", "an invoice"],
          ]}
          {...consumers.at("consumers")}
          onChange={(which) =>
            draft.edit(withValue(body, "consumers", which === "receipt" ? undefined : which))
          }
        />
        , a business always an invoice. An order that costs nothing has no paper.
      </Sentence>
      <Section aria-labelledby="numbers">
        <h2 id="numbers">Numbers</h2>
        <Sentence problems={numbering.problems}>
          Invoices begin with {slot(numbering, "invoices", "How numbers of invoices begin", "I-{year}-")},
          receipts with {slot(numbering, "receipts", "How numbers of receipts begin", "R-{year}-")}, credit
          notes with {slot(numbering, "credit_notes", "How numbers of credit notes begin", "C-{year}-")}.
        </Sentence>
        <p className="quiet">
          Each beginning counts from 1, without a gap; with <span className="mono">{"{year}"}</span> it begins
          anew every year. The test book counts for itself.
        </p>
        {numbers ? (
          <ul>
            {numbers.map((one) => (
              <li key={one.kind}>
                The next {one.kind.replace("_", " ")} is <span className="mono">{one.live}</span>, in the test
                book <span className="mono">{one.test}</span>.{" "}
                <a href={`/desk/api/sites/${code}/sample-paper.pdf?kind=${one.kind}`} download>
                  See a sample<span className="hidden"> {one.kind.replace("_", " ")}</span>
                </a>
              </li>
            ))}
          </ul>
        ) : null}
      </Section>
      <Section aria-labelledby="foot">
        <h2 id="foot">At the foot</h2>
        <Field
          label="A line at the foot of each page"
          value={body.text ?? ""}
          placeholder="Trade register, bank account, opening hours"
          problem={problem("text")}
          isDisabled={off}
          onChange={(value) => set("text", value)}
        />
      </Section>
    </Body>
  );
}
