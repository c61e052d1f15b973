// Rates of the owner's own.
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { percentOf, shareOf } from "../../kit/format/percent";
import { Notice } from "../../kit/Notice";
import { Section, Table } from "../../kit/Sheet";
import { type OwnRateBody, withValue } from "../editing/bodies";
import { PlaceChoice } from "./PlaceChoice";
import { RATE_LABELS, RATE_HINTS } from "./taxWords";

/** Whatever is wrong with a rate: it is asked for as people say it, and stored as a share of one. */
const RATE_WRONG = "Write how many percent, as in 8.875.";

export function OwnRates({
  rates,
  isDisabled,
  problem,
  trouble,
  onChange,
}: {
  rates: OwnRateBody[];
  isDisabled: boolean;
  problem: (at: number, name: string) => string | undefined;
  trouble: string | undefined;
  onChange: (next: OwnRateBody[]) => void;
}) {
  const set = (at: number, name: string, text: string) =>
    onChange(rates.map((one, i) => (i === at ? withValue(one, name, text.trim() || undefined) : one)));
  return (
    <Section aria-labelledby="own-rates">
      <h2 id="own-rates">Your own rates</h2>
      <p className="quiet">
        Skurrow brings the rates of the EU, the United Kingdom, Switzerland, Norway, Australia, New Zealand
        and Canada, with their days and sources. What you write here takes their place: a state of the USA, or
        a rate that has changed.
      </p>
      {trouble ? <Notice kind="attention">{trouble}</Notice> : null}
      {rates.length ? (
        <div style={{ overflowX: "auto" }} tabIndex={0} role="group" aria-label="Your own rates">
          <Table style={{ minWidth: 640 }}>
            <thead>
              <tr>
                <th scope="col" style={{ minWidth: 180 }}>
                  place
                </th>
                <th scope="col">postal codes from</th>
                <th scope="col">counts as</th>
                <th scope="col">called</th>
                <th scope="col">percent</th>
                <td />
              </tr>
            </thead>
            <tbody>
              {rates.map((one, i) => (
                <tr key={i}>
                  <td>
                    <PlaceChoice
                      label={`Place of rate ${i + 1}`}
                      value={one.place}
                      problem={problem(i, "place")}
                      isDisabled={isDisabled}
                      onChange={(place) => set(i, "place", place)}
                    />
                  </td>
                  {(["postal_prefix", "counts_as", "name", "rate"] as const).map((name) => (
                    <td key={name}>
                      <Field
                        bare
                        label={`${RATE_LABELS[name]} of rate ${i + 1}`}
                        value={name === "rate" ? percentOf(one.rate) : (one[name] ?? "")}
                        placeholder={RATE_HINTS[name]}
                        decimal={name === "rate"}
                        problem={problem(i, name) && name === "rate" ? RATE_WRONG : problem(i, name)}
                        isDisabled={isDisabled}
                        onChange={(text) => set(i, name, name === "rate" ? shareOf(text) : text)}
                      />
                    </td>
                  ))}
                  <td>
                    {isDisabled ? null : (
                      <Button look="plain" onPress={() => onChange(rates.filter((_, j) => j !== i))}>
                        Take out<span className="hidden"> rate {i + 1}</span>
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        </div>
      ) : null}
      {isDisabled ? null : (
        <div>
          <Button onPress={() => onChange([...rates, { place: "US-NY", name: "Sales tax", rate: "" }])}>
            Add a rate
          </Button>
        </div>
      )}
    </Section>
  );
}
