// A word about what was just done, with the way back, at the lower edge: it goes by itself.
import { createContext, useCallback, useContext, useEffect, useMemo, useState, type ReactNode } from "react";
import { styled } from "styled-components";

import { Button } from "../../kit/Button";

const Strip = styled.div`
  position: fixed;
  left: 50%;
  bottom: 18px;
  transform: translateX(-50%);
  z-index: 30;
  max-width: calc(100vw - 24px);
  > div {
    display: flex;
    gap: 14px;
    align-items: center;
    padding: 7px 8px 7px 16px;
    border-radius: var(--corner);
    background: var(--ink);
    color: var(--sheet);
    font-size: 14.5px;
    box-shadow: 0 6px 22px var(--shade);
  }
  button {
    background: transparent;
    border-color: var(--pencil);
    color: var(--sheet);
  }
  button[data-hovered] {
    background: transparent;
    border-color: var(--sheet);
  }
`;

interface Word {
  words: string;
  undo?: (() => void) | undefined;
}

const Telling = createContext<(words: string, undo?: () => void) => void>(() => undefined);

/** Says what was done; with `undo`, the way back is beside it. */
export const useTell = () => useContext(Telling);

const STAYS = 9000;

export function TellingRoom({ children }: { children: ReactNode }) {
  const [word, setWord] = useState<Word>();
  const tell = useCallback((words: string, undo?: () => void) => setWord({ words, undo }), []);
  useEffect(() => {
    if (!word) return;
    const timer = setTimeout(() => setWord(undefined), STAYS);
    return () => clearTimeout(timer);
  }, [word]);
  const shown = useMemo(() => children, [children]);
  return (
    <Telling.Provider value={tell}>
      {shown}
      <Strip role="status">
        {word ? (
          <div>
            {word.words}
            {word.undo ? (
              <Button
                onPress={() => {
                  word.undo?.();
                  setWord(undefined);
                }}
              >
                Undo
              </Button>
            ) : null}
            <Button aria-label="Close this message" onPress={() => setWord(undefined)}>
              ×
            </Button>
          </div>
        ) : null}
      </Strip>
    </Telling.Provider>
  );
}
