import { useId } from "react";
import { styled } from "styled-components";

const Framed = styled.div`
  display: flex;
  flex-direction: column;
  gap: 4px;
  label {
    font-size: 14px;
    font-weight: 600;
  }
  div {
    display: flex;
    align-items: center;
    gap: 10px;
  }
  input {
    width: 64px;
    height: 36px;
    padding: 2px;
    border-radius: var(--corner);
    border: 1px solid var(--edge);
    background: var(--tape);
    cursor: pointer;
  }
  input:focus-visible {
    outline: 2px solid var(--verdigris);
  }
  .problem {
    font-size: 13px;
    color: var(--madder);
  }
`;

interface Props {
  label: string;
  value: string;
  onChange: (colour: string) => void;
  problem?: string | undefined;
  isDisabled?: boolean | undefined;
}

/** A colour, picked with the browser's own picker; its six digits stand beside it. */
export function Colour({ label, value, onChange, problem, isDisabled }: Props) {
  const id = useId();
  return (
    <Framed>
      <label htmlFor={id}>{label}</label>
      <div>
        <input
          id={id}
          type="color"
          value={value.toLowerCase()}
          disabled={Boolean(isDisabled)}
          aria-describedby={problem ? `${id}-problem` : undefined}
          onChange={(event) => onChange(event.target.value.toUpperCase())}
        />
        <span className="mono">{value.toUpperCase()}</span>
      </div>
      {problem ? (
        <p id={`${id}-problem`} className="problem">
          {problem}
        </p>
      ) : null}
    </Framed>
  );
}
