// What differs between the draft and the release, part by part.
import type { Schemas } from "../../api/client";
import { Section } from "../../kit/Sheet";
import { kindWords } from "../editing/kindWords";
import { Changed } from "./Changed";

/** A change's parts told one by one up to so many new ones; more are named in a line. */
const FEW = 3;

export function Parts({ found }: { found: Schemas["ReviewView"] }) {
  const count = found.parts.length + found.more_parts;
  const fresh = found.parts.filter((part) => part.state === "new");
  const named = fresh.length > FEW ? fresh : [];
  return (
    <Section aria-labelledby="changed">
      <h2 id="changed">{count === 1 ? "1 part changes" : `${count} parts change`}</h2>
      {named.length ? (
        <div>
          <h3>New</h3>
          <Named parts={named} />
        </div>
      ) : null}
      {found.parts
        .filter((part) => !named.includes(part))
        .map((part) => (
          <div key={`${part.kind} ${part.id}`}>
            <h3>
              {kindWords(part.kind)}
              {part.name ? `: ${part.name}` : ""}
              {part.state === "new" ? ", new" : part.state === "archived" ? ", archived" : ""}
            </h3>
            {part.state === "changed" ? <Differences found={part.differences} /> : null}
          </div>
        ))}
      {found.more_parts ? (
        <p className="quiet">
          {found.more_parts === 1 ? "1 more part changes" : `${found.more_parts} more parts change`}; they are
          too many to be told one by one.
        </p>
      ) : null}
    </Section>
  );
}

/** Many parts in a line for each kind. */
export function Named({ parts }: { parts: { kind: string; name: string }[] }) {
  return [...new Set(parts.map((part) => part.kind))].map((kind) => {
    const names = parts.filter((part) => part.kind === kind).map((part) => part.name);
    return (
      <p key={kind}>
        <span className="quiet">
          {kindWords(kind)}
          {names.length > 1 ? "s" : ""}
          {names.some(Boolean) ? ": " : ""}
        </span>
        {names.filter(Boolean).join("; ")}
      </p>
    );
  });
}

export function Differences({ found }: { found: Schemas["DifferenceView"][] }) {
  return (
    <Changed>
      <tbody>
        {found.map((one) => (
          <tr key={one.what}>
            <th scope="row" className="what">
              {one.what}
            </th>
            <td>
              {one.before === null ? null : <s aria-label={`was ${one.before}`}>{one.before}</s>}{" "}
              {one.after ?? "taken out"}
            </td>
          </tr>
        ))}
      </tbody>
    </Changed>
  );
}

export const WORDS = {
  amount: "amount",
  page: "",
  new: "can be bought now",
  gone: "cannot be bought any more",
};

export type Effect = Schemas["EffectView"];
