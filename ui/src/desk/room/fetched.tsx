// Parts of the desk that are fetched when they are met.
import { lazy, type ComponentType, type LazyExoticComponent } from "react";

import { Button } from "../../kit/Button";
import { Empty } from "../../kit/Empty";
import { Sheet } from "../../kit/Sheet";

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- whatever its properties are
type Fetch<C extends ComponentType<any>> = () => Promise<{ default: C }>;

const PAUSES = [300, 1000, 3000, 6000];

/** Fetches a part, and tries again when that fails; whoever is offline for longer is told so, in its place. */
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

/** A part that is fetched when it is first shown. */
// eslint-disable-next-line @typescript-eslint/no-explicit-any -- whatever its properties are
export function fetched<C extends ComponentType<any>>(fetch: Fetch<C>): LazyExoticComponent<C> {
  return lazy(() => patiently(fetch).catch(() => ({ default: NotFetched as unknown as C })));
}

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
