// How a site and its draft stand, in the bar.
import type { Schemas } from "../../api/client";
import { useWaitingEdits } from "../editing/savers";
import type { LiveState } from "../room/live";
import { To } from "../room/places";

/** That orders are not taken, or something could not be handled, wherever one is. */
export function SellingState({ code, site }: { code: string; site: Schemas["SiteView"] }) {
  const words =
    site.selling === "stopped"
      ? "All sales are stopped"
      : site.selling === "closed"
        ? "Closed for whoever comes"
        : site.stopped
          ? `${site.stopped === 1 ? "1 part is" : `${site.stopped} parts are`} stopped`
          : undefined;
  if (!words && !site.aside) return null;
  return (
    <div className="selling">
      {words ? (
        <To to={`/s/${code}/on-sale`} className="lost">
          {words}
        </To>
      ) : null}
      {site.aside ? (
        <To to={`/s/${code}/aside`} className="lost">
          {site.aside} set aside
        </To>
      ) : null}
    </div>
  );
}

/** How the draft stands, and, where it is so, that something is waiting or out of touch. */
export function DraftState({ site, live }: { site: Schemas["SiteView"]; live: LiveState }) {
  const waiting = useWaitingEdits();
  if (waiting) {
    return (
      <span className="lost" role="status">
        {waiting === 1 ? "1 edit is" : `${waiting} edits are`} kept here and not stored: no connection
      </span>
    );
  }
  if (live === "lost") {
    return (
      <span className="lost" role="status">
        The live view is lost; trying again
      </span>
    );
  }
  return (
    <span className="draft">
      <DraftLine site={site} />
    </span>
  );
}

function DraftLine({ site }: { site: Schemas["SiteView"] }) {
  if (!site.release) {
    return (
      <>
        Draft, <strong>never released</strong>
      </>
    );
  }
  const count = site.changed;
  return count ? (
    <>
      Draft, <strong>{count === 1 ? "1 change" : `${count} changes`}</strong> since release{" "}
      {site.release.number}
    </>
  ) : (
    <>Release {site.release.number}, nothing changed since</>
  );
}
