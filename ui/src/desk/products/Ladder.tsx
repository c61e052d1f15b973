// The ladder of a product: between which of its recurring prices customers may change, in order.
import { Button } from "../../kit/Button";
import { Choice } from "../../kit/fields/Choice";
import { Section, Table } from "../../kit/Sheet";
import { without, type ProductBody } from "../editing/bodies";

interface Props {
  body: ProductBody;
  isDisabled: boolean;
  problem: (path: string) => string | undefined;
  onChange: (body: ProductBody) => void;
}

export function Ladder({ body, isDisabled, problem, onChange }: Props) {
  const steps = body.prices.filter(({ kind, chosen }) => kind === "recurring" && !chosen);
  const ladder = body.ladder ?? [];
  if (steps.length < 2 && !ladder.length) return null;
  const name = (id: string) => steps.find((one) => one.id === id)?.label ?? id;
  const rest = steps.filter(({ id }) => !ladder.includes(id));
  const set = (next: string[]) =>
    onChange(next.length >= 2 ? { ...body, ladder: next } : without(body, "ladder"));
  const wrong = problem("ladder") ?? ladder.map((_, i) => problem(`ladder[${i}]`)).find(Boolean);
  return (
    <Section aria-labelledby="ladder">
      <h2 id="ladder">Changing plan</h2>
      {ladder.length ? (
        <>
          <p>
            Customers may change between these; the highest stands on top. Up takes effect at once, and unused
            time is credited; down when the paid time ends.
          </p>
          <Table>
            <tbody>
              {[...ladder.entries()].reverse().map(([at, id]) => (
                <tr key={id}>
                  <th scope="row">
                    {at + 1}. {name(id)}
                  </th>
                  <td>
                    {isDisabled ? null : (
                      <>
                        <Button
                          look="plain"
                          isDisabled={at === ladder.length - 1}
                          aria-label={`Put ${name(id)} higher`}
                          onPress={() => set(swapped(ladder, at, at + 1))}
                        >
                          ↑ Higher
                        </Button>
                        <Button
                          look="plain"
                          isDisabled={at === 0}
                          aria-label={`Put ${name(id)} lower`}
                          onPress={() => set(swapped(ladder, at, at - 1))}
                        >
                          ↓ Lower
                        </Button>
                        <Button
                          look="plain"
                          aria-label={`Take ${name(id)} off the ladder`}
                          onPress={() => set(ladder.filter((one) => one !== id))}
                        >
                          Take off
                        </Button>
                      </>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
          {!isDisabled && rest.length ? (
            <div style={{ maxWidth: 320 }}>
              <Choice
                label="Add a step"
                value=""
                options={[["", "Choose a price"], ...rest.map(({ id }) => [id, name(id)] as const)]}
                onChange={(id) => (id ? set([...ladder, id]) : undefined)}
              />
            </div>
          ) : null}
        </>
      ) : (
        <>
          <p className="quiet">Customers cannot change from one of its recurring prices to another.</p>
          {isDisabled ? null : (
            <div>
              <Button onPress={() => set(steps.map(({ id }) => id))}>Let them change plan</Button>
            </div>
          )}
        </>
      )}
      {wrong ? <p role="alert">{wrong}</p> : null}
    </Section>
  );
}

/** The same with two of them in each other's place. */
const swapped = (ladder: readonly string[], a: number, b: number) =>
  ladder.map((one, i) => (i === a ? ladder[b] : i === b ? ladder[a] : one) ?? one);
