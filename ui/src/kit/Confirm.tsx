import { useEffect, useRef, useState } from "react";
import { styled } from "styled-components";

import { Button } from "./Button";

const Asked = styled.span`
  display: inline-flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  font-size: 14px;
`;

interface Props {
  children: string;
  /** What will happen, as a question. */
  question: string;
  /** The verb of the second press. */
  sure: string;
  onConfirm: () => void;
  isPending?: boolean;
  isDisabled?: boolean;
  look?: "plain";
}

/** A press that is asked about once more, where it stands; for what cannot simply be undone. */
export function Confirm({
  children,
  question,
  sure,
  onConfirm,
  isPending = false,
  isDisabled = false,
  look,
}: Props) {
  const [asking, setAsking] = useState(false);
  const second = useRef<HTMLButtonElement>(null);
  const first = useRef<HTMLButtonElement>(null);
  const was = useRef(false);
  useEffect(() => {
    if (asking) second.current?.focus();
    else if (was.current) first.current?.focus();
    was.current = asking;
  }, [asking]);
  if (!asking) {
    return (
      <Button
        ref={first}
        look={look}
        isPending={isPending}
        isDisabled={isDisabled}
        onPress={() => setAsking(true)}
      >
        {children}
      </Button>
    );
  }
  return (
    <Asked
      role="group"
      aria-label={question}
      onKeyDown={(event) => {
        if (event.key === "Escape") setAsking(false);
      }}
    >
      {question}
      <Button
        ref={second}
        look="grave"
        onPress={() => {
          setAsking(false);
          onConfirm();
        }}
      >
        {sure}
      </Button>
      <Button onPress={() => setAsking(false)}>No</Button>
    </Asked>
  );
}
