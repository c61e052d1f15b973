// Days: typed part by part, in the order in which the site's country writes them.
import { parseDate } from "@internationalized/date";
import { useState, type ReactNode } from "react";
import {
  DateField,
  DateInput,
  DateSegment,
  FieldError,
  Label,
  Text,
  type DateValue,
} from "react-aria-components";
import { styled } from "styled-components";

import { SlotChoice } from "./Sentence";

const Framed = styled(DateField)`
  display: flex;
  flex-direction: column;
  gap: 4px;
  min-width: 0;
  label {
    font-size: 14px;
    font-weight: 600;
  }
  [role="group"] {
    width: fit-content;
    min-width: 150px;
    min-height: 36px;
    padding: 6px 10px;
    border-radius: var(--corner);
    border: 1px solid var(--edge);
    background: var(--tape);
    color: var(--ink);
    font-variant-numeric: tabular-nums;
  }
  [role="group"][data-focus-within] {
    outline: 2px solid var(--verdigris);
    border-color: var(--verdigris);
  }
  [role="group"][data-invalid] {
    border: 2px solid var(--madder);
    padding: 5px 9px;
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

const Slotted = styled(DateField)`
  display: inline-block;
  [role="group"] {
    display: inline-block;
    padding: 1px 2px;
    border-bottom: 1.5px dotted var(--edge);
    line-height: 1.35;
    font-variant-numeric: tabular-nums;
    white-space: nowrap;
  }
  [role="group"][data-hovered] {
    background: var(--wash);
  }
  [role="group"][data-focus-within] {
    outline: 2px solid var(--verdigris);
    outline-offset: 1px;
    border-radius: 3px;
    background: var(--tape);
  }
  [role="group"][data-invalid] {
    border-bottom: 2px solid var(--madder);
  }
  [role="group"][data-disabled] {
    border-bottom-color: transparent;
  }
`;

const Segment = styled(DateSegment)`
  padding: 0 1px;
  border-radius: 3px;
  outline: none;
  &[data-placeholder] {
    color: var(--pencil);
  }
  &[data-focused] {
    background: var(--verdigris);
    color: var(--tape);
  }
`;

const Clear = styled.button`
  border: 0;
  background: transparent;
  color: var(--pencil);
  font: inherit;
  padding: 0 5px;
  cursor: pointer;
  &:hover {
    color: var(--ink);
  }
`;

function read(text: string): DateValue | null {
  try {
    return parseDate(text);
  } catch {
    return null;
  }
}

/** A year is typed digit by digit; before it has four, nobody is told of the day. */
const FIRST_YEAR = 1000;

function useDay(value: string, onChange: (value: string) => void) {
  const [held, setHeld] = useState<{ of: string; day: DateValue | null }>({ of: value, day: read(value) });
  return {
    value: held.of === value ? held.day : read(value),
    onChange: (day: DateValue | null) => {
      const told = day ? day.toString() : "";
      if (day && day.year < FIRST_YEAR) {
        setHeld({ of: value, day });
        return;
      }
      setHeld({ of: told, day });
      if (told !== value) onChange(told);
    },
  };
}

interface Typed {
  label: string;
  /** `2027-05-31`, or nothing. */
  value: string;
  onChange: (value: string) => void;
  isDisabled?: boolean | undefined;
}

/** A labelled day. */
export function Day({
  hint,
  problem,
  bare,
  ...props
}: Typed & { hint?: ReactNode; problem?: string | undefined; bare?: boolean }) {
  return (
    <Framed
      {...useDay(props.value, props.onChange)}
      isDisabled={Boolean(props.isDisabled)}
      isInvalid={Boolean(problem)}
      validationBehavior="aria"
      aria-label={bare ? props.label : undefined}
      shouldForceLeadingZeros
    >
      {bare ? null : <Label>{props.label}</Label>}
      <DateInput>{(segment) => <Segment segment={segment} />}</DateInput>
      {hint ? <Text slot="description">{hint}</Text> : null}
      <FieldError className="problem">{problem}</FieldError>
    </Framed>
  );
}

/** A day in a sentence. */
export function SlotDate({
  label,
  value,
  onChange,
  invalid,
  isDisabled,
}: Typed & { invalid?: boolean | undefined }) {
  return (
    <Slotted
      {...useDay(value, onChange)}
      aria-label={label}
      isDisabled={Boolean(isDisabled)}
      isInvalid={Boolean(invalid)}
      validationBehavior="aria"
      shouldForceLeadingZeros
    >
      <DateInput>{(segment) => <Segment segment={segment} />}</DateInput>
    </Slotted>
  );
}

/** A day in a sentence, or none: then what that means stands there. */
export function SlotDay({ none, ...props }: Parameters<typeof SlotDate>[0] & { none: string }) {
  if (props.value)
    return (
      <span style={{ whiteSpace: "nowrap" }}>
        <SlotDate {...props} />
        {props.isDisabled ? null : (
          <Clear type="button" aria-label={`${props.label}: ${none}`} onClick={() => props.onChange("")}>
            ×
          </Clear>
        )}
      </span>
    );
  return (
    <SlotChoice
      label={props.label}
      value="none"
      options={[
        ["none", none],
        ["day", "a day …"],
      ]}
      onChange={(next) => props.onChange(next === "day" ? new Date().toISOString().slice(0, 10) : "")}
      isDisabled={props.isDisabled}
    />
  );
}
