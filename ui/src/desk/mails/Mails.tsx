// Mails to buyers: who they come from, and what the owner says in each. How it arrives lies beside.
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useParams } from "react-router";
import { styled } from "styled-components";

import type { Schemas } from "../../api/client";
import { Button } from "../../kit/Button";
import { Field } from "../../kit/fields/Field";
import { FindableList } from "../../kit/fields/FindableList";
import { Sentence, SlotChoice, SlotText } from "../../kit/fields/Sentence";
import { Body, Section, Sheet, SideLink } from "../../kit/Sheet";
import { withValue } from "../editing/bodies";
import { useSinglePart } from "../editing/PartRoom";
import { SaveLine, SaveTrouble } from "../editing/SaveLine";
import { slots } from "../editing/slots";
import { mailKinds, part } from "../queries";
import { To, useTo } from "../room/places";
import { CheckoutRooms, WithRooms } from "../room/StageRooms";
import { Waiting } from "../room/Waiting";
import { inLanguage, LANGUAGES, missingIn, withLanguage, withOwn, type MailsBody, type OwnText } from "./own";
import { useLanguage } from "./useLanguage";

type Kind = Schemas["MailKindView"];

const GROUPS: readonly (readonly [Kind["group"], string])[] = [
  ["orders", "About an order"],
  ["subscriptions", "About a subscription"],
  ["account", "The account page"],
];

export function Mails() {
  const { site: code = "", kind } = useParams();
  const asked = useQuery(part(code, "mails", "-"));
  const kinds = useQuery(mailKinds(code));
  const there = asked.data && kinds.data;
  return (
    <WithRooms>
      <CheckoutRooms />
      <Sheet tabIndex={-1} aria-label="Mails">
        {there ? (
          <Room code={code} view={asked.data} kinds={kinds.data} kind={kind} />
        ) : (
          <Waiting
            within
            away={asked.failureCount + kinds.failureCount > 0}
            again={() => void Promise.all([asked.refetch(), kinds.refetch()])}
          />
        )}
      </Sheet>
    </WithRooms>
  );
}

const Heading = styled.li`
  padding: 14px 16px 4px;
  font-size: 13.5px;
  color: var(--pencil);
`;

interface RoomProps {
  code: string;
  view: Schemas["PartView"];
  kinds: Kind[];
  kind: string | undefined;
}

function Room({ code, view, kinds, kind }: RoomProps) {
  const edit = useSinglePart(code, view);
  const body = edit.draft.body as MailsBody;
  const [search, setSearch] = useState("");
  const place = useTo();
  const sought = search.trim().toLowerCase();
  const fits = (one: Kind) => `${one.name} ${one.when}`.toLowerCase().includes(sought);
  const found = kinds.filter(fits);
  const chosen = kinds.find((one) => one.kind === kind);
  return (
    <>
      <FindableList
        label="All mails"
        find="Find a mail"
        search={search}
        onSearch={setSearch}
        total={found.length}
        nothing="No mail is called that."
      >
        {sought ? null : (
          <li>
            <SideLink to={place(`/s/${code}/mails`)} end aria-current={chosen ? undefined : "page"}>
              <strong>All mails</strong>
              <span>Sender, look, foot</span>
            </SideLink>
          </li>
        )}
        {GROUPS.map(([group, name]) => {
          const those = found.filter((one) => one.group === group);
          if (!those.length) return null;
          return [
            <Heading key={group}>{name}</Heading>,
            ...those.map((one) => (
              <li key={one.kind}>
                <SideLink to={place(`/s/${code}/mails/${one.kind}`)}>
                  <strong>{one.name}</strong>
                  {body.own?.some((own) => own.id === one.kind) ? <span>with words of yours</span> : null}
                </SideLink>
              </li>
            )),
          ];
        })}
      </FindableList>
      {chosen ? (
        <One key={chosen.kind} kind={chosen} body={body} edit={edit} />
      ) : (
        <All code={code} body={body} edit={edit} />
      )}
    </>
  );
}

type Edit = ReturnType<typeof useSinglePart>;

interface EditProps {
  body: MailsBody;
  edit: Edit;
}

/** In which language words are typed, and the mail beside is read. */
function InLanguage() {
  const [language, setLanguage] = useLanguage();
  return (
    <Sentence>
      Your words in{" "}
      <SlotChoice label="Language" value={language} options={LANGUAGES} onChange={setLanguage} />, as in the
      mail beside:
    </Sentence>
  );
}

/** What a text lacks, in words. */
function Missing({ text }: { text: OwnText | undefined }) {
  const names = missingIn(text);
  if (!names.length) return null;
  return <p className="quiet">Not in {names.join(" and ")}: those mails go out in our words alone.</p>;
}

/** What holds for every mail. */
function All({ code, body, edit: { draft, problem, off } }: EditProps & { code: string }) {
  const [language] = useLanguage();
  const home = useQuery(part(code, "site", "-")).data?.part.body as
    { name?: string; logo?: string } | undefined;
  const papers = useQuery(part(code, "papers", "-")).data?.part.body as { email?: string } | undefined;
  const from = slots(problem, off);
  const shown = slots(problem, off);
  const set = (name: keyof MailsBody & string, value: unknown) => draft.edit(withValue(body, name, value));
  return (
    <Body>
      <header>
        <h1>Mails to buyers</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <Sentence problems={from.problems}>
        They come from{" "}
        <SlotText
          label="Name they come from"
          value={body.sender ?? ""}
          placeholder={home?.name ?? "the business"}
          {...from.at("sender")}
          onChange={(value) => set("sender", value)}
        />
        , and answers go to{" "}
        <SlotText
          label="Where answers go"
          value={body.reply_to ?? ""}
          placeholder={papers?.email ?? "an email address"}
          {...from.at("reply_to")}
          onChange={(value) => set("reply_to", value)}
        />
        .
      </Sentence>
      <Sentence problems={shown.problems}>
        What was bought is{" "}
        <SlotChoice
          label="How what was bought is shown"
          value={body.pictures === false ? "no" : "yes"}
          options={[
            ["yes", "shown with its picture"],
            ["no", "named only"],
          ]}
          {...shown.at("pictures")}
          onChange={(which) => set("pictures", which === "no" ? false : undefined)}
        />
        . Of each sale the owners of the site are{" "}
        <SlotChoice
          label="A note of each sale"
          value={body.note_owners === false ? "no" : "yes"}
          options={[
            ["yes", "sent a note"],
            ["no", "sent no note"],
          ]}
          {...shown.at("note_owners")}
          onChange={(which) => set("note_owners", which === "no" ? false : undefined)}
        />
        .
      </Sentence>
      <p className="quiet">
        {home?.logo ? "Logo and colour are" : "There is no logo yet: it and the colour are"} chosen at{" "}
        <To to={`/s/${code}/site`}>The site itself</To>.
      </p>
      <Section aria-labelledby="foot">
        <h2 id="foot">Under every mail</h2>
        <InLanguage />
        <OwnField
          label="Words under every mail"
          text={body.foot}
          language={language}
          placeholder="Opening hours, where you are, how to reach you"
          lines
          problem={problem("foot") ?? problem(`foot.${language}`)}
          off={off}
          onChange={(text) => set("foot", text)}
        />
      </Section>
    </Body>
  );
}

/** What the owner says in one mail. */
function One({ kind, body, edit: { draft, problem, off } }: EditProps & { kind: Kind }) {
  const [language] = useLanguage();
  const at = (body.own ?? []).findIndex((one) => one.id === kind.kind);
  const own = body.own?.[at];
  const wrong = (name: string) => problem(`own[${at}].${name}`) ?? problem(`own[${at}].${name}.${language}`);
  const name = (typed: string) => {
    const before = inLanguage(own?.text, language);
    const text = `${before}${before && !/\s$/.test(before) ? " " : ""}${typed}`;
    draft.edit(withOwn(body, kind.kind, { text: withLanguage(own?.text, language, text) }));
  };
  const usual = (kind.subjects[language] ?? "").replace(/\{(\w+)\}/g, "…");
  return (
    <Body>
      <header>
        <h1>{kind.name}</h1>
        <SaveLine state={draft.state} />
      </header>
      <SaveTrouble {...draft} />
      <p>{kind.when}. Amounts, days and papers are in it by themselves; what you say is added.</p>
      <InLanguage />
      <OwnField
        label="Subject"
        text={own?.subject}
        language={language}
        placeholder={usual}
        problem={wrong("subject")}
        off={off}
        onChange={(subject) => draft.edit(withOwn(body, kind.kind, { subject }))}
      />
      <OwnField
        label="Words of yours"
        text={own?.text}
        language={language}
        placeholder="What a buyer should know at this moment"
        lines
        problem={wrong("text")}
        off={off}
        onChange={(text) => draft.edit(withOwn(body, kind.kind, { text }))}
      />
      <Section aria-labelledby="facts">
        <h2 id="facts">What they can name</h2>
        <Facts>
          {kind.facts.map((fact) => (
            <div key={fact.typed}>
              <dt>
                {off ? (
                  <span className="mono">{fact.typed}</span>
                ) : (
                  <Button
                    look="plain"
                    aria-label={`Add ${fact.name} to your words`}
                    onPress={() => name(fact.typed)}
                  >
                    <span className="mono">{fact.typed}</span>
                  </Button>
                )}
              </dt>
              <dd>{fact.name}</dd>
            </div>
          ))}
        </Facts>
        <p className="quiet">
          Press one to add it to your words. A paragraph that names what a mail does not have is left out of
          it.
        </p>
      </Section>
    </Body>
  );
}

const Facts = styled.dl`
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: 4px 18px;
  margin: 0;
  div {
    display: flex;
    gap: 10px;
    align-items: baseline;
  }
  dt {
    font-size: 13.5px;
  }
  dd {
    margin: 0;
    color: var(--pencil);
  }
`;

interface OwnFieldProps {
  label: string;
  text: OwnText | undefined;
  language: ReturnType<typeof useLanguage>[0];
  placeholder: string;
  lines?: boolean;
  problem: string | undefined;
  off: boolean;
  onChange: (text: OwnText | undefined) => void;
}

function OwnField({
  label,
  text,
  language,
  placeholder,
  lines = false,
  problem,
  off,
  onChange,
}: OwnFieldProps) {
  return (
    <div>
      <Field
        key={language}
        label={label}
        value={inLanguage(text, language)}
        placeholder={placeholder}
        problem={problem}
        isDisabled={off}
        lines={lines}
        onChange={(typed) => onChange(withLanguage(text, language, typed))}
      />
      <Missing text={text} />
    </div>
  );
}
