// Every text that a person can meet on a screen: no identifiers, no code words.
import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";

import ts from "typescript";
import { expect, it } from "vitest";

const SAYING =
  /^(label|hint|placeholder|title|question|sure|aria-label|nothing|find|alt|none|one|above|words|name|text|heading)$/;

const CODE_WORD =
  /(?<![\w{/.@-])[a-z]+_[a-z_]+|(?<![\w{/.@-])[a-z]+\.[a-z]+(?![\w/.(])|(?<![\w.])[a-z]+[A-Z]\w*|\b\w+\[\d+\]/;

/** A format's name, and the columns that a CSV of members has. */
const NAMES = /camt\.053|next_on|on_file|card_ending|card_expires/g;

function files(folder: string): string[] {
  return readdirSync(folder, { withFileTypes: true }).flatMap((one) => {
    const path = join(folder, one.name);
    if (one.isDirectory()) return one.name === "generated" ? [] : files(path);
    return /\.tsx?$/.test(one.name) && !/\.test\.ts$/.test(one.name) ? [path] : [];
  });
}

/** The texts of a file: between tags, in attributes and fields that are shown, and whatever is a sentence. */
function texts(path: string): string[] {
  const source = ts.createSourceFile(
    path,
    readFileSync(path, "utf8"),
    ts.ScriptTarget.Latest,
    true,
    ts.ScriptKind.TSX,
  );
  const found: string[] = [];
  const isShown = (node: ts.Node): boolean => {
    const parent = node.parent;
    if (ts.isJsxAttribute(parent)) return SAYING.test(parent.name.getText(source));
    if (ts.isPropertyAssignment(parent)) return SAYING.test(parent.name.getText(source));
    return false;
  };
  const visit = (node: ts.Node) => {
    if (ts.isJsxText(node)) found.push(node.text);
    else if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) {
      const sentence = /^[A-Z“].* .*[.:?]?$/.test(node.text);
      if (isShown(node) || sentence) found.push(node.text);
    } else if (ts.isTemplateExpression(node) && !ts.isTaggedTemplateExpression(node.parent)) {
      const text = [node.head.text, ...node.templateSpans.map((span) => span.literal.text)].join(" … ");
      if (/^[A-Z“].* /.test(text)) found.push(text);
    }
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found.map((text) => text.replace(/\s+/g, " ").trim()).filter((text) => /[a-z]/i.test(text));
}

const ALL = files(join(import.meta.dirname, ".")).flatMap((path) =>
  texts(path).map((text) => [path.slice(import.meta.dirname.length + 1), text] as const),
);

it("they are found", () => {
  expect(ALL.length).toBeGreaterThan(900);
  expect(ALL.map(([, text]) => text)).toContain(
    "What a release would change".length ? "Review and release" : "",
  );
});

it("none holds an identifier or a code word", () => {
  const wrong = ALL.filter(([, text]) => text.includes(" ") && CODE_WORD.test(text.replace(NAMES, "")));
  expect(wrong).toEqual([]);
});

it("what is looked for would be found", () => {
  expect(
    ["It is counts_as", "The card.kept of it", "A taxIncluded one", "Of zones[1]"].every((one) =>
      CODE_WORD.test(one),
    ),
  ).toBe(true);
  expect(
    ["As in NL or US-NY", "2026-11-24", "name@example.org", "Pay EUR 4.80"].some((one) =>
      CODE_WORD.test(one),
    ),
  ).toBe(false);
});
