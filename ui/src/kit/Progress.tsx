import { Label, ProgressBar } from "react-aria-components";
import { styled } from "styled-components";

import { Button } from "./Button";

const Framed = styled(ProgressBar)`
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 4px 12px;
  align-items: center;
  max-width: 460px;
  font-size: 14px;
  .rail {
    grid-column: 1 / -1;
    height: 6px;
    background: var(--hairline);
    overflow: hidden;
  }
  .done {
    height: 100%;
    background: var(--verdigris);
  }
  .unknown {
    width: 30%;
    height: 100%;
    background: var(--verdigris);
    animation: pass 1.4s linear infinite;
  }
  @keyframes pass {
    from {
      transform: translateX(-110%);
    }
    to {
      transform: translateX(370%);
    }
  }
`;

const Stoppable = styled.div`
  display: flex;
  gap: 16px;
  align-items: flex-end;
  > :first-child {
    flex: 1;
  }
`;

interface Props {
  label: string;
  /** How far it is, from 0 to 100; left out where nobody knows. */
  value?: number;
  left?: string;
  onStop?: () => void;
}

/** How far something is that takes a while; how much is left, and a way to stop. */
export function Progress({ label, value, left, onStop }: Props) {
  const bar = (
    <Framed value={value ?? 0} isIndeterminate={value === undefined}>
      {({ percentage, isIndeterminate }) => (
        <>
          <Label>{label}</Label>
          <span className="quiet">
            {isIndeterminate ? (left ?? "") : `${Math.round(percentage ?? 0)} %${left ? `, ${left}` : ""}`}
          </span>
          <div className="rail">
            <div
              className={isIndeterminate ? "unknown" : "done"}
              style={isIndeterminate ? undefined : { width: `${percentage ?? 0}%` }}
            />
          </div>
        </>
      )}
    </Framed>
  );
  return onStop ? (
    <Stoppable>
      {bar}
      <Button onPress={onStop}>Stop</Button>
    </Stoppable>
  ) : (
    bar
  );
}
