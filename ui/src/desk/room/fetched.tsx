// Parts of the desk that are fetched when they are met.
import { lazy } from "react";

import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Sheet } from "../../kit/Sheet";

const PAUSES = [300, 1000, 3000, 6000];

/** Fetches a part, and tries again when that fails. */
export async function patiently<C>(fetch: () => Promise<C>, pauses = PAUSES): Promise<C> {
  for (const pause of pauses) {
    try {
      return await fetch();
    } catch {
      await new Promise((done) => setTimeout(done, pause));
    }
  }
  return await fetch();
}

/** A part that is fetched when it is first shown; whoever is offline for longer is told so, in its place. */
export const fetched: typeof lazy = (fetch) =>
  lazy(() => patiently(fetch).catch(() => ({ default: NotFetched as never })));

/** Stands where a part could not be fetched: no connection, or a newer version was installed meanwhile. */
function NotFetched() {
  return (
    <Sheet tabIndex={-1} aria-label="Not fetched">
      <Empty title="This part of the desk could not be fetched">
        There is no connection, or Skurrow was brought up to date meanwhile. What was stored is safe.{" "}
        <Button onPress={() => window.location.reload()}>Load the page again</Button>
      </Empty>
    </Sheet>
  );
}
