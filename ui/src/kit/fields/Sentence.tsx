// Settings as sentences: the values stand in the text, underlined, and are edited where they stand.
import type { ReactNode } from "react";
import { Input, TextField } from "react-aria-components";
import { styled } from "styled-components";

import { steady } from "../steady";
import { useTyped, type About } from "./typed";

const Said = styled.div`
  font-size: 17px;
  line-height: 1.9;
  .aside {
    color: var(--pencil);
    font-size: 14.5px;
  }
`;

const slot = `
  display: inline-block;
  max-width: 100%;
  min-width: 1.6em;
  padding: 1px 2px;
  margin: 0;
  border: 0;
  border-bottom: 1.5px dotted var(--edge);
  border-radius: 0;
  background: transparent;
  color: var(--ink);
  font: inherit;
  line-height: 1.35;
  field-sizing: content;
`;

const lit = `
  outline: 2px solid var(--verdigris);
  outline-offset: 1px;
  border-radius: 3px;
  background: var(--tape);
`;

const Typed = styled(TextField)`
  display: inline;
  input {
    ${slot}
  }
  input[data-hovered] {
    background: var(--wash);
  }
  input[data-focused] {
    ${lit}
  }
  input[data-invalid] {
    border-bottom: 2px solid var(--madder);
  }
  input[data-disabled] {
    border-bottom-color: transparent;
    -webkit-text-fill-color: var(--ink);
    opacity: 1;
  }
  &.money input {
    font-variant-numeric: tabular-nums;
    font-weight: 600;
  }
  ::placeholder {
    color: var(--pencil);
    opacity: 1;
  }
`;

const Chosen = styled.select`
  ${slot}
  appearance: none;
  cursor: pointer;
  &:hover:not(:disabled) {
    background: var(--wash);
  }
  &:focus-visible {
    ${lit}
  }
  &[aria-invalid="true"] {
    border-bottom: 2px solid var(--madder);
  }
  &:disabled {
    border-bottom-color: transparent;
    opacity: 1;
    cursor: default;
  }
  option {
    background: var(--tape);
    color: var(--ink);
  }
`;

const Wrong = styled.p`
  font-size: 13.5px;
  color: var(--madder);
  line-height: 1.4;
`;

/** A sentence that holds slots; beneath it what is wrong with them, if anything. */
export function Sentence({
  children,
  problems = [],
}: {
  children: ReactNode;
  problems?: readonly (string | undefined)[];
}) {
  const told = [...new Set(problems.filter(Boolean))];
  return (
    <div>
      <Said>{children}</Said>
      {told.length ? (
        <div role="alert">
          {told.map((problem) => (
            <Wrong key={problem}>{problem}</Wrong>
          ))}
        </div>
      ) : null}
    </div>
  );
}

interface Common {
  /** What the slot is called: told to assistive technology, since the sentence around it is its label to the eye. */
  label: string;
  invalid?: boolean | undefined;
  isDisabled?: boolean | undefined;
}

/** A text or a number in a sentence. */
export const SlotText = steady(function SlotText({
  label,
  value,
  onChange,
  onBlur,
  invalid,
  isDisabled,
  money,
  placeholder = "…",
  inputMode,
  autoFocus,
  currency,
  unsaid,
  decimal,
}: Common & {
  value: string;
  onChange: (value: string) => void;
  onBlur?: () => void;
  money?: boolean;
  placeholder?: string;
  inputMode?: "decimal" | "numeric" | "text";
  /** It has just come, and is typed into next. */
  autoFocus?: boolean;
  /** It is an amount in this currency, or a number with decimals: read as people write them. */
  currency?: string | undefined;
  /** The currency stands elsewhere in the sentence. */
  unsaid?: boolean;
  decimal?: boolean;
}) {
  const about: About = currency === undefined ? (decimal ? "decimal" : undefined) : { currency };
  const typed = useTyped(value, onChange, about);
  const field = (
    <Typed
      className={money ? "money" : ""}
      aria-label={label}
      value={typed.value}
      onChange={typed.onChange}
      onBlur={() => {
        typed.onBlur();
        onBlur?.();
      }}
      isInvalid={Boolean(invalid)}
      isDisabled={Boolean(isDisabled)}
      validationBehavior="aria"
      autoFocus={Boolean(autoFocus)}
    >
      <Input
        placeholder={placeholder}
        inputMode={inputMode ?? (money || decimal ? "decimal" : undefined)}
        size={Math.max(2, (typed.value || placeholder).length)}
      />
    </Typed>
  );
  if (currency === undefined || unsaid)
    return typed.told ? (
      <>
        {field} {typed.told}
      </>
    ) : (
      field
    );
  return (
    <>
      <span style={{ whiteSpace: "nowrap" }}>
        {field} {currency}
      </span>
      {typed.told ? <> {typed.told}</> : null}
    </>
  );
}, "onChange");

/** An amount of money in a sentence; the currency stands behind it. */
export function SlotMoney(props: Omit<Parameters<typeof SlotText>[0], "money"> & { currency: string }) {
  return <SlotText {...props} money />;
}

/** One of a few in a sentence. */
export const SlotChoice = steady(function SlotChoice<Value extends string>({
  label,
  value,
  options,
  onChange,
  invalid,
  isDisabled,
}: Common & {
  value: Value;
  options: readonly (readonly [Value, string])[];
  onChange: (value: Value) => void;
}) {
  return (
    <Chosen
      aria-label={label}
      value={value}
      aria-invalid={Boolean(invalid)}
      disabled={Boolean(isDisabled)}
      onChange={(event) => onChange(event.target.value as Value)}
    >
      {options.map(([name, words]) => (
        <option key={name} value={name}>
          {words}
        </option>
      ))}
    </Chosen>
  );
}, "onChange");
