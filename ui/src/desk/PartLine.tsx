import type { Schemas } from "../api/client";
import { SideLink } from "../kit/Sheet";
import { useTo } from "./places";

/** A part in the list of a stage. */
export function PartLine({
  to,
  line,
  active,
}: {
  to: string;
  line: Schemas["PartLineView"];
  active: boolean;
}) {
  const place = useTo();
  return (
    <li>
      <SideLink to={place(to)} className={active ? "active" : ""} aria-current={active ? "page" : undefined}>
        <strong>{line.name}</strong>
        <span>{line.words}</span>
      </SideLink>
    </li>
  );
}
