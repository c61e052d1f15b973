// One subscription as a line in time: what was charged, what happened, and what is to come; and acting for its customer.
import { useQuery } from "@tanstack/react-query";
import { Empty } from "../../kit/Empty";
import { Body, Section } from "../../kit/Sheet";
import { Stamp } from "../../kit/Stamp";
import { type Mode, subscription } from "../queries";
import { To } from "../room/places";
import { Waiting } from "../room/Waiting";
import { Act } from "./Act";
import { InTime } from "./InTime";
import { Promised } from "./Promised";
import { Standing } from "./Standing";

/** One subscription of a book. */
export function SubscriptionDetail({ code, mode, of }: { code: string; mode: Mode; of: string }) {
  const asked = useQuery(subscription(code, mode, of));
  if (asked.isError) {
    return <Empty title="No such subscription">There is no subscription {of} in this book.</Empty>;
  }
  if (!asked.data) return <Waiting within away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data;
  return (
    <Body>
      <header>
        <h1>
          {found.name} {mode === "test" ? <Stamp /> : null}
        </h1>
        <p className="quiet">
          Subscription <span className="mono">{found.code}</span>, {found.email}.{" "}
          {found.order ? (
            <>
              Begun with order <To to={`/s/${code}/orders/${mode}/${found.order}`}>{found.order}</To>.
            </>
          ) : (
            "Moved over from elsewhere."
          )}
        </p>
      </header>
      <Standing found={found} />
      <Act code={code} mode={mode} found={found} />
      <Section aria-labelledby="line">
        <h2 id="line">Its line in time</h2>
        <InTime code={code} mode={mode} found={found} />
      </Section>
      <Promised code={code} mode={mode} found={found} />
    </Body>
  );
}
