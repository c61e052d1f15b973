import { styled } from "styled-components";

import { SlotText } from "./Sentence";

const Named = styled.div`
  input {
    font: 650 28px/1.2 var(--heading);
    letter-spacing: -0.01em;
    border-bottom-color: transparent;
    margin-left: -2px;
  }
  p {
    font-size: 13.5px;
    color: var(--madder);
  }
`;

interface Props {
  label: string;
  value: string;
  onChange: (value: string) => void;
  problem: string | undefined;
  isDisabled: boolean;
}

/** The name of the thing being edited, as the heading of its sheet: it is changed where it stands. */
export function Title({ label, value, onChange, problem, isDisabled }: Props) {
  return (
    <Named>
      <h1 className="hidden">{value || "Unnamed"}</h1>
      <SlotText
        label={label}
        value={value}
        placeholder="Unnamed"
        onChange={onChange}
        invalid={Boolean(problem)}
        isDisabled={isDisabled}
      />
      {problem ? <p role="alert">{problem}</p> : null}
    </Named>
  );
}
