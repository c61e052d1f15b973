import { useId } from "react";
import { styled } from "styled-components";

const Framed = styled.div`
  display: flex;
  flex-direction: column;
  gap: 4px;
  min-width: 0;
  label {
    font-size: 14px;
    font-weight: 600;
  }
  select {
    width: 100%;
    min-height: 36px;
    padding: 6px 10px;
    border-radius: var(--corner);
    border: 1px solid var(--edge);
    background: var(--tape);
    color: var(--ink);
  }
  select:focus-visible {
    outline: 2px solid var(--verdigris);
    outline-offset: 0;
    border-color: var(--verdigris);
  }
  p {
    font-size: 13px;
    color: var(--madder);
  }
`;

interface Props<Value extends string> {
  label: string;
  value: Value;
  options: readonly (readonly [Value, string])[];
  /** More of them, under a heading of their own. */
  others?: readonly [heading: string, options: readonly (readonly [Value, string])[]];
  onChange: (value: Value) => void;
  problem?: string | undefined;
  /** The label is told to assistive technology only. */
  bare?: boolean;
  isDisabled?: boolean | undefined;
}

/** One of a few: the browser's own list, which is best on phones and needs no script. */
export function Choice<Value extends string>({
  label,
  value,
  options,
  others,
  onChange,
  problem,
  bare,
  isDisabled,
}: Props<Value>) {
  const id = useId();
  return (
    <Framed>
      {bare ? null : <label htmlFor={id}>{label}</label>}
      <select
        id={id}
        value={value}
        aria-label={bare ? label : undefined}
        disabled={Boolean(isDisabled)}
        aria-invalid={Boolean(problem)}
        aria-describedby={problem ? `${id}-problem` : undefined}
        onChange={(event) => onChange(event.target.value as Value)}
      >
        {options.map(([name, words]) => (
          <option key={name} value={name}>
            {words}
          </option>
        ))}
        {others ? (
          <optgroup label={others[0]}>
            {others[1].map(([name, words]) => (
              <option key={name} value={name}>
                {words}
              </option>
            ))}
          </optgroup>
        ) : null}
      </select>
      {problem ? <p id={`${id}-problem`}>{problem}</p> : null}
    </Framed>
  );
}
