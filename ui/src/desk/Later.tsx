import { Empty } from "../kit/Empty";
import { Sheet } from "../kit/Sheet";

const WORDS = {
  routes: [
    "Routes",
    "Here the way of a buyer will be drawn as a line: page, checkout, offer, and the confirmation page where each order lands.",
  ],
  rehearsals: [
    "Rehearsals",
    "Here stand-in buyers will be sent through a whole route under a clock, so that two years of a subscription pass in seconds.",
  ],
  nothing: ["Nothing here", "This address leads nowhere. Choose a stage of the work order."],
} as const;

/** A stage that is not built yet says what will stand there. */
export function Later({ stage }: { stage: keyof typeof WORDS }) {
  const [title, words] = WORDS[stage];
  return (
    <Sheet tabIndex={-1} aria-label={title}>
      <Empty title={title}>{words}</Empty>
    </Sheet>
  );
}
