// Coupons that the buyer types: added one by one, told when they do not count, and taken off again.
import { useId, useState } from "react";
import { styled } from "styled-components";

import type { Quote } from "./boot";
import { Framed } from "./look";

const Row = styled.div`
  display: flex;
  gap: 8px;
  input {
    min-width: 0;
    text-transform: none;
  }
`;

const Plain = styled.button`
  min-height: 46px;
  padding: 0 14px;
  border: 1px solid var(--edge);
  border-radius: 6px;
  background: #fff;
  cursor: pointer;
  white-space: nowrap;
`;

const Open = styled.button`
  align-self: start;
  padding: 6px 0;
  border: 0;
  background: none;
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
`;

const Typed = styled.ul`
  margin: 0;
  padding: 0;
  list-style: none;
  font-size: 15px;
  li {
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: 12px;
    padding: 4px 0;
    border-bottom: 1px solid var(--rule);
  }
  button {
    padding: 6px 0 6px 12px;
    border: 0;
    background: none;
    text-decoration: underline;
    text-underline-offset: 3px;
    cursor: pointer;
  }
`;

interface Props {
  /** What opens the field, in the owner's words. */
  words: string | null;
  coupons: string[];
  quote: Quote | undefined;
  problem: string | undefined;
  onChange: (coupons: string[]) => void;
}

export function Coupons({ words, coupons, quote, problem, onChange }: Props) {
  const id = useId();
  const [open, setOpen] = useState(false);
  const [text, setText] = useState("");
  const add = () => {
    const code = text.trim();
    if (!code) return;
    if (!coupons.some((one) => one.toLowerCase() === code.toLowerCase())) onChange([...coupons, code]);
    setText("");
    setOpen(false);
  };
  const notes = quote?.notes.filter((note) => note.code.startsWith("coupon_")) ?? [];
  return (
    <>
      {coupons.length ? (
        <Typed aria-label="Coupons">
          {coupons.map((code) => (
            <li key={code}>
              <span>
                Coupon <strong>{code}</strong>
              </span>
              <button
                type="button"
                aria-label={`Leave out coupon ${code}`}
                onClick={() => onChange(coupons.filter((one) => one !== code))}
              >
                Leave out
              </button>
            </li>
          ))}
        </Typed>
      ) : null}
      {open || problem ? (
        <Framed>
          <label htmlFor={id}>Coupon</label>
          <Row>
            <input
              id={id}
              name="coupon"
              autoComplete="off"
              autoCapitalize="characters"
              spellCheck={false}
              maxLength={40}
              value={text}
              autoFocus={open}
              aria-invalid={Boolean(problem)}
              aria-describedby={problem ? `${id}-problem` : undefined}
              onChange={(event) => setText(event.target.value)}
              onKeyDown={(event) => {
                if (event.key !== "Enter") return;
                event.preventDefault();
                add();
              }}
            />
            <Plain type="button" onClick={add}>
              Use coupon
            </Plain>
          </Row>
          {problem ? (
            <span className="problem" role="alert" id={`${id}-problem`}>
              {problem}
            </span>
          ) : null}
        </Framed>
      ) : (
        <Open type="button" onClick={() => setOpen(true)}>
          {words ?? (coupons.length ? "Use another coupon" : "Use a coupon")}
        </Open>
      )}
      <div role="status">
        {notes.map((note) => (
          <p key={note.text} className="lead">
            {note.text}
          </p>
        ))}
      </div>
    </>
  );
}
