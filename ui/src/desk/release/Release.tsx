import { useQuery, useQueryClient, useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { data, type Schemas, api } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { Tick, Ticks } from "../../kit/fields/Tick";
import { when } from "../../kit/format/when";
import { Notice } from "../../kit/Notice";
import { Sheet, Body } from "../../kit/Sheet";
import { Sourced } from "../../kit/Sourced";
import { sendAll } from "../editing/savers";
import { useSite, review, refresh } from "../queries";
import { To, useGo } from "../room/places";
import { useRole } from "../room/role";
import { useTell } from "../room/told";
import { Waiting } from "../room/Waiting";
import { Buyers, RealBuyers } from "./Buyers";
import { kindWords } from "../editing/kindWords";
import { Parts } from "./Differences";

/** What changed since the last release, looked through before real buyers meet it; or what going back would change. */
export function Release() {
  const { site: code = "", number } = useParams();
  const back = number === undefined ? null : Number(number);
  const { data: site } = useSite(code);
  const asked = useQuery(review(code, back));
  if (!site || !asked.data)
    return <Waiting away={asked.failureCount > 0} again={() => void asked.refetch()} />;
  const found = asked.data;
  const last = site.release;
  return (
    <Sheet tabIndex={-1} aria-label="Review and release">
      <Body>
        <header>
          <h1>{back === null ? "Review and release" : `Back to release ${back}`}</h1>
          <p className="quiet">
            Real buyers meet the last release, never the draft.
            {last
              ? ` Release ${last.number} was made ${when(last.at)} by ${last.by ?? "the demo"}.`
              : " Nothing has been released yet."}{" "}
            <To to={`/s/${code}/release/history`}>Releases and edits</To>
          </p>
        </header>
        {found.parts.length === 0 ? (
          <Notice>
            {back === null
              ? "The draft is as it was released. There is nothing to release."
              : "Real buyers meet exactly this already."}
          </Notice>
        ) : (
          <>
            {found.remarks.map((one) => (
              <Notice key={one.words} kind={one.wrong ? "error" : "attention"}>
                <Sourced>{one.words}</Sourced>
              </Notice>
            ))}
            <Press code={code} site={site} found={found} back={back} />
            <Parts found={found} />
            <Buyers found={found} />
          </>
        )}
        {back === null ? <RealBuyers code={code} site={site} /> : null}
      </Body>
    </Sheet>
  );
}

interface PressProps {
  code: string;
  site: Schemas["SiteView"];
  found: Schemas["ReviewView"];
  back: number | null;
}

/** The press that releases what was looked through, with a few words for whoever reads the history. */
function Press({ code, site, found, back }: PressProps) {
  const queries = useQueryClient();
  const tell = useTell();
  const go = useGo();
  const { mayConfigure } = useRole(code);
  const [note, setNote] = useState("");
  const [left, setLeft] = useState<readonly string[]>([]);
  const along =
    back === null ? [] : found.parts.filter((one) => one.in_draft !== "same" && !left.includes(key(one)));
  const before = site.release?.number;
  const asked = useMutation({
    mutationFn: async () => {
      await sendAll();
      const path = { site: code };
      if (back === null)
        return data(
          api.POST("/desk/api/sites/{site}/releases", {
            params: { path },
            body: { seen: found.change, note },
          }),
        );
      // What buyers meet comes first; the draft can be put right after it at any time.
      const now = await data(
        api.POST("/desk/api/sites/{site}/releases/{number}/again", {
          params: { path: { ...path, number: back } },
          body: { seen: before ?? 0 },
        }),
      );
      if (along.length)
        await data(
          api.POST("/desk/api/sites/{site}/draft/back", {
            params: { path },
            body: {
              release: back,
              seen: found.head,
              only: along.map(({ kind, id }) => ({ kind, id })),
            },
          }),
        );
      return now;
    },
    onSuccess: (now) => {
      setNote("");
      const number = now.release?.number ?? 0;
      tell(
        `Release ${number} is made. ${now.live_since ? "Real buyers meet it from now on." : ""}`,
        before ? () => go(`/s/${code}/release/back/${before}`) : undefined,
      );
      if (back !== null) go(`/s/${code}/release/history`);
    },
    onSettled: () => refresh(queries, code),
  });
  if (!mayConfigure) return <Notice>Only a developer of the site makes releases.</Notice>;
  const next = (before ?? 0) + 1;
  return (
    <div style={{ display: "flex", flexDirection: "column", gap: 12 }}>
      {asked.error ? <Notice kind="error">{asked.error.message}</Notice> : null}
      {back === null ? (
        <div style={{ maxWidth: 460 }}>
          <Field
            label="What it is about"
            hint="For the history; may be left empty"
            value={note}
            onChange={setNote}
          />
        </div>
      ) : (
        <>
          <p>It is released once more as release {next}.</p>
          <Along found={found} left={left} onChange={setLeft} />
        </>
      )}
      <div>
        <Button look="main" isPending={asked.isPending} onPress={() => asked.mutate()}>
          {back === null ? `Make release ${next}` : `Go back to release ${back}`}
        </Button>
      </div>
    </div>
  );
}

const key = (part: { kind: string; id: string }) => `${part.kind} ${part.id}`;

interface AlongProps {
  found: Schemas["ReviewView"];
  left: readonly string[];
  onChange: (left: readonly string[]) => void;
}

/** The draft would bring back at the next release what going back takes away: part by part, unless it goes along. */
function Along({ found, left, onChange }: AlongProps) {
  const parts = found.parts.filter((one) => one.in_draft !== "same");
  if (!parts.length) return <p className="quiet">The draft is the same in these parts already.</p>;
  return (
    <Ticks>
      <legend>
        The next release would bring this back, for the draft still has it. Put it back there, too:
      </legend>
      {parts.map((part) => (
        <Tick
          key={key(part)}
          on={!left.includes(key(part))}
          onChange={(on) => onChange(on ? left.filter((one) => one !== key(part)) : [...left, key(part)])}
        >
          {kindWords(part.kind)}
          {part.name ? `: ${part.name}` : ""}
          {part.in_draft === "edited" ? " (edited since, too; that is undone with it)" : ""}
        </Tick>
      ))}
    </Ticks>
  );
}
