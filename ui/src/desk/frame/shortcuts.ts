// The desk's own shortcuts, in one table: what is listed under ? is what works.
import { useRef, useEffect } from "react";
import { STAGES } from "../room/rooms";

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
