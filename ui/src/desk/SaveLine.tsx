import { Button } from "../kit/Button";
import { Notice } from "../kit/Notice";
import type { SaveState } from "./DraftSaver";

const time = (at: string) => new Date(at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** How the saving stands, in plain words. */
export function SaveLine({ state }: { state: SaveState }) {
  const words = {
    saved: () => (state.kind === "saved" ? `Saved ${time(state.at)} in the draft` : ""),
    saving: () => "Saving …",
    refused: () => "Not saved: something has to be corrected",
    conflict: () => "Not saved: somebody else changed this",
    unreachable: () => "Not saved: no connection, trying again",
  }[state.kind]();
  return (
    <p className="quiet" role="status" data-state={state.kind}>
      {words}
    </p>
  );
}

interface Props {
  state: SaveState;
  keepMine: () => void;
  takeTheirs: () => void;
}

/** What stands in the way of saving, when it is about more than a field. */
export function SaveTrouble({ state, keepMine, takeTheirs }: Props) {
  if (state.kind === "conflict") {
    return (
      <Notice
        kind="attention"
        title="Somebody else changed this while you did"
        actions={
          <span>
            <Button onPress={takeTheirs}>Take theirs</Button> <Button onPress={keepMine}>Keep mine</Button>
          </span>
        }
      >
        Theirs: {summary(state.current.body)}
      </Notice>
    );
  }
  if (state.kind === "refused") {
    return (
      <Notice kind="error" title="Not saved yet">
        {state.error.problem.detail}
        {/[.?]$/.test(state.error.problem.detail) ? "" : "."} What you typed stays here.
      </Notice>
    );
  }
  return null;
}

function summary(body: Record<string, unknown>): string {
  const text = JSON.stringify(body, null, 0);
  return text.length > 300 ? `${text.slice(0, 300)} …` : text;
}
