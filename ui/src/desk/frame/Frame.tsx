import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { Outlet, useLocation, useNavigate, useParams } from "react-router";
import { styled } from "styled-components";

import { api, Refused, type Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Menu } from "../../kit/Menu";
import { Jump } from "./Jump";
import { Logo } from "../room/Logo";
import { Outside } from "../room/Outside";
import { ShortcutList, useShortcuts, type Act } from "./shortcuts";
import { StageMark } from "./StageMark";
import { Tape } from "../tape/Tape";
import { Waiting } from "../room/Waiting";
import { useHistory, whyNotUndone } from "../editing/editHistory";
import { keepLastSite } from "./lastSite";
import { LastSale, useLive, type LiveState } from "../room/live";
import { To, useGo } from "../room/places";
import { useSite } from "../queries";
import { openSaver, sendAll, useWaitingEdits } from "../editing/savers";
import { ROOMS_OF, STAGES } from "../room/stages";
import { TapeState, useRoll, useTape } from "../tape/tapeState";
import { focusWhenThere } from "./arrival";
import { TellingRoom, useTell } from "../room/told";
import { shown, useWarning } from "../editing/useDraft";

const Bar = styled.header`
  display: flex;
  align-items: center;
  gap: 6px 14px;
  flex-wrap: wrap;
  min-height: 46px;
  padding: 5px 16px;
  border-bottom: 1px solid var(--hairline);
  .brand {
    display: flex;
    align-items: center;
    gap: 10px;
    font: 650 18px/1 var(--heading);
    width: 174px;
    color: var(--ink);
    text-decoration: none;
  }
  .site {
    flex: 1;
    min-width: 150px;
    display: flex;
    align-items: center;
    margin-left: -8px;
  }
  .site button {
    color: var(--ink);
    font-weight: 650;
    font-size: 15px;
  }
  .site {
    flex-wrap: wrap;
  }
  .site span {
    color: var(--pencil);
    overflow-wrap: anywhere;
  }
  .draft {
    font-size: 14px;
    color: var(--pencil);
  }
  .draft strong {
    color: var(--ink);
  }
  .lost {
    font-size: 14px;
    padding: 3px 10px;
    border-left: 3px solid var(--saffron);
    background: var(--saffron-wash);
  }
  .selling {
    order: 1;
    flex-basis: 100%;
    display: flex;
    flex-wrap: wrap;
    gap: 6px 14px;
  }
  .steps {
    display: flex;
  }
  .steps svg {
    display: block;
  }
  @media (max-width: 760px) {
    .brand {
      width: auto;
    }
  }
`;

const NARROW = "(max-width: 1120px)";

const Columns = styled.div`
  display: grid;
  grid-template-columns: 188px minmax(0, 1fr) auto;
  gap: 0 16px;
  padding: 14px 16px 0 8px;
  align-items: start;
  > aside {
    position: sticky;
    top: 8px;
    max-height: calc(100vh - 8px);
    max-width: min(50vw, 900px);
    overflow-y: auto;
  }
  .opener {
    display: none;
  }
  @media ${NARROW} {
    grid-template-columns: 188px minmax(0, 1fr);
    padding-bottom: 64px;
    > aside {
      position: fixed;
      z-index: 20;
      top: 0;
      right: 0;
      bottom: 0;
      max-height: none;
      max-width: calc(100vw - 20px);
      padding: 8px 12px;
      background: var(--paper);
      border-left: 1px solid var(--edge);
      box-shadow: 0 0 30px var(--shade);
    }
    > aside:not(.open) {
      display: none;
    }
    .opener {
      display: block;
      position: fixed;
      right: 14px;
      bottom: 14px;
      z-index: 15;
    }
    .opener button {
      font-family: var(--mono);
      background: var(--tape);
      box-shadow: 0 2px 12px var(--shade);
    }
  }
  @media (max-width: 760px) {
    grid-template-columns: minmax(0, 1fr);
    padding: 8px 8px 64px;
    gap: 8px;
  }
`;

const Rail = styled.nav`
  h2 {
    font: 600 13.5px/1.2 var(--text);
    letter-spacing: 0;
    color: var(--pencil);
    padding: 4px 8px 10px;
  }
  ol {
    list-style: none;
    margin: 0;
    padding: 0;
    position: relative;
  }
  li {
    position: relative;
  }
  li + li::before {
    content: "";
    position: absolute;
    left: 20px;
    top: -9px;
    height: 18px;
    width: 2px;
    background: var(--hairline);
  }
  a {
    display: flex;
    gap: 10px;
    padding: 7px 8px;
    border: 1px solid transparent;
    border-radius: var(--corner);
    text-decoration: none;
    color: var(--ink);
    position: relative;
  }
  a strong {
    display: block;
    font-weight: 600;
    line-height: 1.3;
  }
  a span span {
    font-size: 13.5px;
    color: var(--pencil);
    line-height: 1.3;
    display: block;
  }
  a:hover {
    background: var(--wash);
  }
  a.active {
    background: var(--sheet);
    border-color: var(--hairline);
  }
  a.active strong {
    color: var(--verdigris);
  }
  @media (max-width: 760px) {
    ol {
      display: flex;
      overflow-x: auto;
      gap: 4px;
      padding: 2px;
    }
    li {
      flex: 0 0 auto;
    }
    li + li::before {
      display: none;
    }
    h2 {
      display: none;
    }
  }
`;

/** The frame of the desk: the bar on top, the work order at the left, the sheet in the middle, the tape at the right. */
export function Frame({ me }: { me: Schemas["Me"] }) {
  const { site: code = "" } = useParams();
  const asked = useSite(code);
  if (asked.error instanceof Refused && asked.error.problem.status === 404) {
    return (
      <Outside>
        <h1>No such site</h1>
        <p>There is no site of yours at this address.</p>
      </Outside>
    );
  }
  if (!asked.data)
    return <Waiting away={asked.isError || asked.failureCount > 0} again={() => void asked.refetch()} />;
  return (
    <TellingRoom>
      <TapeState key={code} code={code} change={asked.data.change}>
        <Room me={me} site={asked.data} />
      </TapeState>
    </TellingRoom>
  );
}

function Room({ me, site }: { me: Schemas["Me"]; site: Schemas["SiteView"] }) {
  const { code } = site;
  const live = useLive(code);
  const go = useGo();
  const { nextBuyer } = useTape();
  const { undo, redo, step } = useUndo(code);
  const [helping, setHelping] = useState(false);
  const [tapeOpen, setTapeOpen] = useState(false);
  const jumpField = useRef<HTMLInputElement>(null);
  const tape = useRef<HTMLElement>(null);
  const before = useRef<Element>(null);
  useFocusOnArrival();
  useEffect(() => keepLastSite(code), [code]);
  useWarning();
  // On narrow screens it is a drawer, which gives the focus back to where it was opened.
  const openTape = () => {
    before.current = document.activeElement;
    setTapeOpen(window.matchMedia(NARROW).matches);
    requestAnimationFrame(() => {
      const field = tape.current?.querySelector<HTMLElement>("select");
      (field ?? tape.current?.querySelector("button"))?.focus();
    });
  };
  const closeTape = () => {
    setTapeOpen(false);
    if (before.current instanceof HTMLElement) before.current.focus();
  };
  const act = (what: Act) => {
    if (what.startsWith("stage ")) {
      const stage = STAGES[Number(what.slice(6))];
      if (stage) go(`/s/${code}/${stage[0]}`);
    } else if (what === "jump") jumpField.current?.focus();
    else if (what === "next-buyer") nextBuyer();
    else if (what === "tape") openTape();
    else if (what === "undo") void step("undo");
    else if (what === "redo") void step("redo");
    else if (what === "help") setHelping(true);
    else if (what === "main") document.querySelector<HTMLElement>("main .main, main [data-main]")?.click();
    else if (what === "preview") document.querySelector<HTMLElement>("main [data-preview]")?.click();
  };
  useShortcuts(act);
  return (
    <LastSale.Provider value={live.sale}>
      <Bar>
        <To className="brand" to={`/s/${code}/products`}>
          <Logo /> Skurrow
        </To>
        <SiteMenu me={me} site={site} />
        <SellingState code={code} site={site} />
        <DraftState site={site} live={live.state} />
        {site.role === "onlooker" ? null : (
          <span className="steps">
            <Button
              look="plain"
              aria-label={undo ? `Undo: ${undo}` : "Undo"}
              isDisabled={!undo}
              onPress={() => void step("undo")}
            >
              <Turn />
            </Button>
            <Button
              look="plain"
              aria-label={redo ? `Do again: ${redo}` : "Do again"}
              isDisabled={!redo}
              onPress={() => void step("redo")}
            >
              <Turn forward />
            </Button>
          </span>
        )}
        {site.changed && site.role === "developer" ? (
          <Button look="main" onPress={() => go(`/s/${code}/release`)}>
            Review and release
          </Button>
        ) : null}
        <Jump code={code} inputRef={jumpField} onHelp={() => setHelping(true)} />
        <PersonMenu me={me} onHelp={() => setHelping(true)} />
      </Bar>
      <Columns>
        <Rail aria-labelledby="work-order">
          <h2 id="work-order">Work order</h2>
          <ol>
            {STAGES.map(([name, title]) => (
              <Stage key={name} code={code} name={name} title={title} stages={site.stages} />
            ))}
          </ol>
        </Rail>
        <Outlet />
        <aside
          ref={tape}
          className={tapeOpen ? "open" : ""}
          aria-label="Tape"
          onKeyDown={(event) => {
            if (event.key === "Escape" && tapeOpen) closeTape();
          }}
        >
          <Tape {...(tapeOpen ? { onClose: closeTape } : {})} />
        </aside>
        <TapeOpener onOpen={openTape} />
      </Columns>
      <ShortcutList open={helping} onClose={() => setHelping(false)} />
    </LastSale.Provider>
  );
}

function Stage({
  code,
  name,
  title,
  stages,
}: {
  code: string;
  name: string;
  title: string;
  stages: Schemas["StageView"][];
}) {
  const stage = stages.find((one) => one.stage === name);
  const { pathname } = useLocation();
  const rooms = ROOMS_OF[name] ?? [name];
  const here = rooms.includes(pathname.split("/")[3] ?? "");
  return (
    <li>
      <To to={`/s/${code}/${name}`} className={here ? "active" : ""} aria-current={here ? "page" : undefined}>
        <StageMark state={stage?.state ?? "later"} attention={stage?.attention ?? 0} />
        <span>
          <strong>{title}</strong>
          <span>{stage?.words}</span>
        </span>
      </To>
    </li>
  );
}

/** On narrow screens the tape is a drawer; what is due stands on its handle. */
function TapeOpener({ onOpen }: { onOpen: () => void }) {
  const roll = useRoll();
  const tape = roll.tapes?.tapes[0];
  const due = tape?.rows.find((row) => row.key === "due");
  return (
    <div className="opener">
      <Button onPress={onOpen}>{due ? `Tape · ${tape?.currency ?? ""} ${due.amount}` : "Tape"}</Button>
    </div>
  );
}

function Turn({ forward }: { forward?: boolean }) {
  return (
    <svg
      width="18"
      height="18"
      viewBox="0 0 18 18"
      fill="none"
      stroke="currentColor"
      strokeWidth="1.8"
      strokeLinecap="round"
      aria-hidden="true"
      style={forward ? { transform: "scaleX(-1)" } : undefined}
    >
      <path d="M3 7.5h7.5a4 4 0 0 1 0 8H7" />
      <path d="M6.2 4 2.8 7.5l3.4 3.4" />
    </svg>
  );
}

function useUndo(code: string) {
  const { history, undo, redo } = useHistory(code);
  const queries = useQueryClient();
  const tell = useTell();
  const step = useCallback(
    async (which: "undo" | "redo") => {
      await sendAll();
      try {
        const done = await history[which]();
        if (!done) return;
        shown(queries, code, done.part);
        openSaver(`${code}/${done.part.kind}/${done.part.id}`)?.adopt(done.part);
        tell(`${done.words}.`);
      } catch (error) {
        tell(whyNotUndone(error));
      }
    },
    [history, queries, code, tell],
  );
  return { undo, redo, step };
}

function SiteMenu({ me, site }: { me: Schemas["Me"]; site: Schemas["SiteView"] }) {
  const go = useGo();
  const navigate = useNavigate();
  const others = me.sites.filter((one) => one.code !== site.code);
  return (
    <span className="site">
      <Menu
        label={`${site.name}: this site and others`}
        sections={[
          {
            entries: [
              { key: "site", words: "The site itself" },
              { key: "on-sale", words: "On sale: stop and open" },
              { key: "people", words: "People" },
              { key: "stand-in-buyers", words: "Stand-in buyers" },
              { key: "release/history", words: "Releases and edits" },
            ],
          },
          {
            title: "Other sites",
            entries: [
              ...others.map((one) => ({ key: `/s/${one.code}`, words: one.name })),
              { key: "/new-site", words: "Add a site" },
            ],
          },
        ]}
        onChoose={(key) => (key.startsWith("/") ? void navigate(key) : go(`/s/${site.code}/${key}`))}
      >
        {site.name} <span aria-hidden="true">▾</span>
      </Menu>
      <span>· {new URL(site.url).hostname}</span>
    </span>
  );
}

function PersonMenu({ me, onHelp }: { me: Schemas["Me"]; onHelp: () => void }) {
  const navigate = useNavigate();
  const signOut = async () => {
    await sendAll();
    await api.DELETE("/desk/api/session");
    window.location.assign("/"); // a new page: nothing that was read stays in memory
  };
  return (
    <Menu
      label={`${me.name}: account and signing out`}
      sections={[
        {
          entries: [
            { key: "account", words: "Your account" },
            { key: "help", words: "Shortcuts" },
            { key: "out", words: "Sign out" },
          ],
        },
      ]}
      onChoose={(key) => {
        if (key === "account") void navigate("/account");
        else if (key === "help") onHelp();
        else void signOut();
      }}
    >
      {me.name.split(" ")[0]} <span aria-hidden="true">▾</span>
    </Menu>
  );
}

/** That orders are not taken, or something could not be handled, wherever one is. */
function SellingState({ code, site }: { code: string; site: Schemas["SiteView"] }) {
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
function DraftState({ site, live }: { site: Schemas["SiteView"]; live: LiveState }) {
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

/** Each room is announced when one arrives: the focus goes to its sheet, and the title names it. */
function useFocusOnArrival() {
  const { pathname } = useLocation();
  const room = pathname.split("/")[3] ?? "";
  const before = useRef(room);
  useEffect(() => {
    const title = STAGES.find(([name]) => name === room)?.[1] ?? TITLES[room] ?? "Skurrow";
    document.title = `${title} · Skurrow`;
    if (before.current === room) return;
    before.current = room;
    return focusWhenThere();
  }, [room]);
}

const TITLES: Record<string, string> = {
  "stand-in-buyers": "Stand-in buyers",
  release: "Review and release",
  people: "People",
  site: "The site",
  "on-sale": "On sale",
  aside: "Set aside",
};
