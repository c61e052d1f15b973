// The desk's own shortcuts, in one table: what is listed under ? is what works.
import { useEffect, useRef } from "react";
import { Dialog, Heading, Modal, ModalOverlay } from "react-aria-components";
import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { STAGES } from "../room/stages";

export type Act =
  "jump" | "next-buyer" | "tape" | "preview" | "main" | "undo" | "redo" | "help" | `stage ${number}`;

interface Shortcut {
  act: Act;
  keys: string;
  words: string;
  fits: (event: KeyboardEvent) => boolean;
}

const alt = (code: string) => (event: KeyboardEvent) =>
  event.altKey && !event.ctrlKey && !event.metaKey && event.code === code;
const command = (event: KeyboardEvent) => (event.ctrlKey || event.metaKey) && !event.altKey;

export const SHORTCUTS: readonly Shortcut[] = [
  ...STAGES.map(([, title], i): Shortcut => ({
    act: `stage ${i}`,
    keys: `Alt ${i + 1}`,
    words: title,
    fits: alt(`Digit${i + 1}`),
  })),
  { act: "jump", keys: "Alt J", words: "Jump to anything by its name", fits: alt("KeyJ") },
  { act: "next-buyer", keys: "Alt B", words: "Tape for the next stand-in buyer", fits: alt("KeyB") },
  { act: "tape", keys: "Alt T", words: "Go to the tape, or open it", fits: alt("KeyT") },
  { act: "preview", keys: "Alt P", words: "Preview of the checkout, and back", fits: alt("KeyP") },
  {
    act: "main",
    keys: "Ctrl Enter",
    words: "The screen’s main action",
    fits: (event) => command(event) && event.key === "Enter",
  },
  {
    act: "undo",
    keys: "Ctrl Z",
    words: "Undo the last stored edit (outside of a field)",
    fits: (event) => command(event) && !event.shiftKey && event.key.toLowerCase() === "z" && !typing(event),
  },
  {
    act: "redo",
    keys: "Ctrl Shift Z",
    words: "Do it again",
    fits: (event) => command(event) && event.shiftKey && event.key.toLowerCase() === "z" && !typing(event),
  },
  {
    act: "help",
    keys: "?",
    words: "This list (outside of a field)",
    fits: (event) => event.key === "?" && !typing(event),
  },
];

/** Within a field the browser's own undo, and a typed question mark, are meant. */
function typing(event: KeyboardEvent): boolean {
  const target = event.target as HTMLElement | null;
  return Boolean(target?.closest("input, textarea, select, [contenteditable]"));
}

/** Listens for the shortcuts for as long as the frame is open. */
export function useShortcuts(act: (act: Act) => void) {
  const latest = useRef(act);
  useEffect(() => {
    latest.current = act;
  });
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const found = SHORTCUTS.find((one) => one.fits(event));
      if (!found) return;
      event.preventDefault();
      latest.current(found.act);
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, []);
}

const Over = styled(ModalOverlay)`
  position: fixed;
  inset: 0;
  z-index: 40;
  background: var(--shade);
  display: grid;
  place-items: center;
  padding: 16px;
  section {
    background: var(--sheet);
    border-radius: var(--corner);
    padding: 22px 26px;
    max-width: 520px;
    max-height: calc(100vh - 40px);
    overflow: auto;
    outline: none;
  }
  dl {
    display: grid;
    grid-template-columns: auto 1fr;
    gap: 5px 20px;
    margin: 14px 0 18px;
  }
  dt {
    font-family: var(--mono);
    font-size: 14px;
  }
  dd {
    margin: 0;
  }
`;

export function ShortcutList({ open, onClose }: { open: boolean; onClose: () => void }) {
  return (
    <Over isOpen={open} onOpenChange={(now) => !now && onClose()} isDismissable>
      <Modal>
        <Dialog>
          <Heading slot="title">Shortcuts</Heading>
          <dl>
            {SHORTCUTS.map((one) => (
              <div key={one.act} style={{ display: "contents" }}>
                <dt>{one.keys}</dt>
                <dd>{one.words}</dd>
              </div>
            ))}
          </dl>
          <Button autoFocus onPress={onClose}>
            Close
          </Button>
        </Dialog>
      </Modal>
    </Over>
  );
}
