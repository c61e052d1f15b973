import type { ReactNode } from "react";
import {
  FieldError,
  Input,
  Label,
  Text,
  TextArea,
  TextField,
  type TextFieldProps,
} from "react-aria-components";
import { styled } from "styled-components";

import { steady } from "../steady";
import { useTyped, type About } from "./typed";

const Framed = styled(TextField)`
  display: flex;
  flex-direction: column;
  gap: 4px;
  min-width: 0;
  label {
    font-size: 14px;
    font-weight: 600;
  }
  input,
  textarea {
    width: 100%;
    min-height: 36px;
    padding: 6px 10px;
    border-radius: var(--corner);
    border: 1px solid var(--edge);
    background: var(--tape);
    color: var(--ink);
  }
  ::placeholder {
    color: var(--pencil);
    opacity: 1;
  }
  textarea {
    min-height: 76px;
    resize: vertical;
    line-height: 1.4;
  }
  textarea.grows {
    min-height: 36px;
    resize: none;
    field-sizing: content;
  }
  input.amount {
    text-align: right;
    font-family: var(--mono);
    font-variant-numeric: tabular-nums;
  }
  input[data-focused],
  textarea[data-focused] {
    outline: 2px solid var(--verdigris);
    border-color: var(--verdigris);
  }
  input[data-invalid],
  textarea[data-invalid] {
    border: 2px solid var(--madder);
    padding: 5px 9px;
  }
  &[data-disabled] input,
  &[data-disabled] textarea {
    background: var(--sheet);
    border-color: var(--hairline);
    color: var(--ink);
    -webkit-text-fill-color: var(--ink);
    opacity: 1;
  }
  input::-webkit-search-cancel-button {
    appearance: none;
  }
  [slot="description"] {
    font-size: 13px;
    color: var(--pencil);
  }
  .problem {
    font-size: 13px;
    color: var(--madder);
  }
`;

interface Props extends Omit<TextFieldProps, "children" | "value" | "onChange"> {
  value: string;
  onChange?: (value: string) => void;
  label: string;
  /** The label is told to assistive technology only: what stands around the field shows it. */
  bare?: boolean;
  hint?: ReactNode;
  problem?: string | undefined;
  /** Several lines, or one that becomes several where the text is long. */
  lines?: boolean | "as needed";
  amount?: boolean;
  /** It is an amount in this currency, or a number with decimals: read as people write them. */
  currency?: string;
  decimal?: boolean;
  placeholder?: string;
}

/** A text without the ends of lines that were pasted into it. */
export const inOneLine = (text: string) => text.replace(/\s*[\r\n]+\s*/g, " ");

/** A labelled text field: `problem` says what is wrong and what to do, and never clears what was typed. */
export const Field = steady(function Field({
  label,
  bare,
  hint,
  problem,
  lines,
  amount,
  placeholder,
  currency,
  decimal,
  value,
  onChange,
  ...props
}: Props) {
  const about: About = currency === undefined ? (decimal ? "decimal" : undefined) : { currency };
  const typed = useTyped(value, onChange, about);
  return (
    <Framed
      {...props}
      value={typed.value}
      onChange={lines === "as needed" ? (text) => typed.onChange(inOneLine(text)) : typed.onChange}
      onBlur={(event) => {
        typed.onBlur();
        props.onBlur?.(event);
      }}
      validationBehavior="aria"
      aria-label={bare ? label : undefined}
      isInvalid={Boolean(problem)}
    >
      {bare ? null : <Label>{label}</Label>}
      {lines ? (
        <TextArea
          placeholder={placeholder}
          {...(lines === "as needed" ? { rows: 1, className: "grows" } : {})}
        />
      ) : (
        <Input
          className={amount || about ? "amount" : ""}
          placeholder={placeholder}
          inputMode={amount || about ? "decimal" : undefined}
        />
      )}
      {typed.told}
      {hint ? <Text slot="description">{hint}</Text> : null}
      <FieldError className="problem">{problem}</FieldError>
    </Framed>
  );
}, "onChange");
