// Texts of the owner's: a string counts in every language, a map in those that it names.
import type { Schemas } from "../../api/client";
import { withValue } from "../editing/bodies";

export type Language = Schemas["Trial"]["language"];
export type OwnText = string | Record<string, string>;

export interface OwnMail {
  id: string;
  subject?: OwnText;
  text?: OwnText;
}

export interface MailsBody {
  sender?: string;
  reply_to?: string;
  foot?: OwnText;
  pictures?: boolean;
  note_owners?: boolean;
  own?: OwnMail[];
  [other: string]: unknown;
}

/** The languages that mails are written in. */
export const LANGUAGES: readonly (readonly [Language, string])[] = [
  ["en", "English"],
  ["de", "German"],
  ["nl", "Dutch"],
];

/** A text as it stands in a language. */
export const inLanguage = (text: OwnText | undefined, language: Language): string =>
  (typeof text === "string" ? text : text?.[language]) ?? "";

/** The text with what is typed in one language; undefined where nothing is left. */
export function withLanguage(
  text: OwnText | undefined,
  language: Language,
  typed: string,
): OwnText | undefined {
  const all = typeof text === "string" ? Object.fromEntries(LANGUAGES.map(([code]) => [code, text])) : text;
  const next = { ...all, [language]: typed };
  const kept = Object.entries(next).filter(([, words]) => words !== "");
  return kept.length ? Object.fromEntries(kept) : undefined;
}

/** The languages in which a text is missing that stands in others. */
export const missingIn = (text: OwnText | undefined): string[] =>
  text === undefined
    ? []
    : LANGUAGES.filter(([code]) => inLanguage(text, code) === "").map(([, name]) => name);

/** The body with what one mail says; a mail that says nothing is left out. */
export function withOwn(body: MailsBody, id: string, change: Partial<OwnMail>): MailsBody {
  const own = body.own ?? [];
  const there = own.find((one) => one.id === id);
  let mine: OwnMail = { id, ...there };
  for (const name of ["subject", "text"] as const) {
    if (name in change) mine = withValue({ ...mine }, name, change[name]);
  }
  const all = there ? own.map((one) => (one === there ? mine : one)) : [...own, mine];
  const kept = all.filter((one) => one.subject ?? one.text);
  return withValue(body, "own", kept.length ? kept : undefined);
}

/** Which mail an address is about: the one that is edited, else the first; undefined outside of the room. */
export function mailAt(pathname: string): string | undefined {
  const [, , , room, kind] = pathname.split("/");
  return room === "mails" ? (kind ?? "order_paid") : undefined;
}
