import { Empty } from "../kit/Empty";
import { Sheet } from "../kit/Sheet";

/** A room in which there is nothing yet says what will stand there. */
function Later({ title, words }: { title: string; words: string }) {
  return (
    <Sheet tabIndex={-1} aria-label={title}>
      <Empty title={title}>{words}</Empty>
    </Sheet>
  );
}

export const Routes = () => (
  <Later
    title="Routes"
    words="Here the way of a buyer will be drawn as a line: page, checkout, offer, and the confirmation page where each order lands."
  />
);

export const Rehearsals = () => (
  <Later
    title="Rehearsals"
    words="Here stand-in buyers will be sent through a whole route under a clock, so that two years of a subscription pass in seconds."
  />
);

export const Nowhere = () => (
  <Later title="Nothing here" words="This address leads nowhere. Choose a stage of the work order." />
);
