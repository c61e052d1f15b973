import type { Schemas } from "../../api/client";
import type { Mode } from "../queries";

export type View = Schemas["SubscriptionView"];

export type Proposal = Schemas["ProposalView"];

export interface At {
  code: string;
  mode: Mode;
  found: View;
}
