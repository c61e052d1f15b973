import { I18nProvider } from "react-aria-components";
import { useState, useRef, useEffect, Suspense } from "react";
import { useParams, Outlet, useLocation } from "react-router";
import { type Schemas, Refused } from "../../api/client";
import { Button } from "../../kit/Button";
import { mailAt } from "../mails/own";
import { useWarning } from "../editing/useDraft";
import { soldAt } from "../tape/soldAt";
import { fetched } from "../room/fetched";
import { inZone } from "../../kit/format/when";
import { SheetRoom } from "../../kit/Sheet";
import { useSite } from "../queries";
import { useLive, LastSale } from "../room/live";
import { Logo } from "../room/Logo";
import { Outside } from "../room/Outside";
import { useGo, To } from "../room/places";
import { STAGES, nameOf } from "../room/rooms";
import { TellingRoom } from "../room/told";
import { Waiting } from "../room/Waiting";
import { TapeState, useTape, useRoll } from "../tape/tapeState";
import { focusWhenThere } from "./arrival";
import { NARROW, Bar, JumpComing, Columns } from "./frameLook";
import { keepLastSite } from "./lastSite";
import { type Act, useShortcuts } from "./shortcuts";
import { SellingState, DraftState } from "./Standing";
import { useUndo, Turn } from "./undo";
import { Rail, Stage } from "./WorkOrder";

// What is not needed for the first picture comes right behind it.
const SiteMenu = fetched(() => import("./menus").then((it) => ({ default: it.SiteMenu })));
const PersonMenu = fetched(() => import("./menus").then((it) => ({ default: it.PersonMenu })));
const Jump = fetched(() => import("./Jump").then((it) => ({ default: it.Jump })));

const ShortcutList = fetched(() => import("./ShortcutList").then((it) => ({ default: it.ShortcutList })));

const SoldTape = fetched(() => import("../tape/SoldTape").then((it) => ({ default: it.SoldTape })));
const MailStrip = fetched(() => import("../mails/MailStrip").then((it) => ({ default: it.MailStrip })));
const Tape = fetched(() => import("../tape/Tape").then((it) => ({ default: it.Tape })));

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
  inZone(asked.data.time_zone);
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
  const { pathname } = useLocation();
  const sold = soldAt(pathname);
  const mail = mailAt(pathname);
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
    else if (what === "next-buyer") {
      if (!sold) nextBuyer();
    } else if (what === "tape") openTape();
    else if (what === "undo") void step("undo");
    else if (what === "redo") void step("redo");
    else if (what === "help") setHelping(true);
    else if (what === "main") document.querySelector<HTMLElement>("main .main, main [data-main]")?.click();
    else if (what === "preview") document.querySelector<HTMLElement>("main [data-preview]")?.click();
  };
  useShortcuts(act);
  return (
    <I18nProvider locale={`en-${site.country}`}>
      <LastSale.Provider value={live.sale}>
        <Bar>
          <To className="brand" to={`/s/${code}/products`}>
            <Logo /> Skurrow
          </To>
          <Suspense
            fallback={
              <span className="site">
                <strong>{site.name}</strong>
              </span>
            }
          >
            <SiteMenu me={me} site={site} />
          </Suspense>
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
          <Suspense fallback={<JumpComing />}>
            <Jump code={code} inputRef={jumpField} onHelp={() => setHelping(true)} />
            <PersonMenu me={me} onHelp={() => setHelping(true)} />
          </Suspense>
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
          <Suspense fallback={<Waiting within away={false} again={() => undefined} />}>
            <SheetRoom>
              <Outlet />
            </SheetRoom>
          </Suspense>
          <aside
            ref={tape}
            className={tapeOpen ? "open" : ""}
            aria-label="Tape"
            onKeyDown={(event) => {
              if (event.key === "Escape" && tapeOpen) closeTape();
            }}
          >
            <Suspense fallback={null}>
              {mail ? (
                <MailStrip site={code} kind={mail} {...(tapeOpen ? { onClose: closeTape } : {})} />
              ) : sold ? (
                <SoldTape site={code} sold={sold} {...(tapeOpen ? { onClose: closeTape } : {})} />
              ) : (
                <Tape {...(tapeOpen ? { onClose: closeTape } : {})} />
              )}
            </Suspense>
          </aside>
          <TapeOpener ofSold={Boolean(sold)} onOpen={openTape} />
        </Columns>
        <Suspense fallback={null}>
          {helping ? <ShortcutList open onClose={() => setHelping(false)} /> : null}
        </Suspense>
      </LastSale.Provider>
    </I18nProvider>
  );
}

/** On narrow screens the tape is a drawer; what is due stands on its handle. */
function TapeOpener({ ofSold, onOpen }: { ofSold: boolean; onOpen: () => void }) {
  const roll = useRoll();
  const tape = roll.tapes?.tapes[0];
  const due = ofSold ? undefined : tape?.rows.find((row) => row.key === "due");
  return (
    <div className="opener">
      <Button onPress={onOpen}>{due ? `Tape · ${tape?.currency ?? ""} ${due.amount}` : "Tape"}</Button>
    </div>
  );
}

/** Each room is announced when one arrives: the focus goes to its sheet, and the title names it. */
function useFocusOnArrival() {
  const { pathname } = useLocation();
  const room = pathname.split("/")[3] ?? "";
  const before = useRef(room);
  useEffect(() => {
    const name = nameOf(room);
    document.title = name === "Skurrow" ? name : `${name} · Skurrow`;
    if (before.current === room) return;
    before.current = room;
    return focusWhenThere();
  }, [room]);
}
