import { TextArea, TextField } from "react-aria-components";
import { styled } from "styled-components";

import { steady } from "../steady";
import { inOneLine } from "./Field";

const Named = styled.div`
  flex: 1;
  min-width: 0;
  textarea {
    display: block;
    width: 100%;
    padding: 1px 4px 1px 2px;
    margin: 0 0 0 -2px;
    border: 0;
    border-bottom: 1.5px dotted transparent;
    background: transparent;
    color: var(--ink);
    font: 650 28px/1.2 var(--heading);
    letter-spacing: -0.01em;
    resize: none;
    field-sizing: content;
    overflow-wrap: anywhere;
  }
  textarea[data-hovered] {
    background: var(--wash);
  }
  textarea[data-focused] {
    outline: 2px solid var(--verdigris);
    outline-offset: 1px;
    border-radius: 3px;
    background: var(--tape);
  }
  textarea[data-invalid] {
    border-bottom: 2px solid var(--madder);
  }
  textarea[data-disabled] {
    -webkit-text-fill-color: var(--ink);
    opacity: 1;
  }
  ::placeholder {
    color: var(--pencil);
    opacity: 1;
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

/** The name of the thing being edited, as the heading of its sheet: it is changed where it stands, and a long one goes
 * on in the next line. */
export const Title = steady(function Title({ label, value, onChange, problem, isDisabled }: Props) {
  return (
    <Named>
      <h1 className="hidden">{value || "Unnamed"}</h1>
      <TextField
        aria-label={label}
        value={value}
        onChange={(text) => onChange(inOneLine(text))}
        isInvalid={Boolean(problem)}
        isDisabled={isDisabled}
        validationBehavior="aria"
      >
        <TextArea
          placeholder="Unnamed"
          rows={1}
          onKeyDown={(event) => {
            if (event.key === "Enter") event.preventDefault();
          }}
        />
      </TextField>
      {problem ? <p role="alert">{problem}</p> : null}
    </Named>
  );
}, "onChange");
