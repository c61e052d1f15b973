// A reason in a sentence, with what it rests on behind the word "source".
import { useId, useState } from "react";
import { styled } from "styled-components";

const Word = styled.button`
  border: 0;
  padding: 0;
  background: none;
  font: inherit;
  color: var(--ink-blue, var(--pencil));
  text-decoration: underline;
  text-underline-offset: 2px;
  cursor: pointer;
`;

const AT_ITS_END = /\s*\((Rate )?from memory(?:: ([^)]*?))?\.?\)\.?\s*$/;

/** A sentence without what it rests on, and that. */
export function parted(text: string): { said: string; source: string } {
  const found: string[] = [];
  let said = text;
  for (let end = AT_ITS_END.exec(said); end; end = AT_ITS_END.exec(said)) {
    said = said.slice(0, end.index);
    found.unshift(end[1] ? "The rate is written down from memory" : (end[2] ?? "A national rule"));
  }
  if (!found.length) return { said: text, source: "" };
  const source = found.join(". ");
  return {
    said: /[.!?]$/.test(said) ? said : `${said}.`,
    source: `${source}${source.includes("from memory") ? "" : ", from memory"}. Look it up where much depends on it.`,
  };
}

/** The sentence; what it rests on is opened by whoever wants to know. */
export function Sourced({ children }: { children: string }) {
  const [open, setOpen] = useState(false);
  const id = useId();
  const { said, source } = parted(children);
  if (!source) return said;
  return (
    <>
      {said}{" "}
      <Word type="button" aria-expanded={open} aria-controls={id} onClick={() => setOpen(!open)}>
        source
      </Word>
      {open ? <span id={id}> {source}</span> : null}
    </>
  );
}
