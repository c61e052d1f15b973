import { styled } from "styled-components";

import { Button } from "../../kit/Button";
import { Notice } from "../../kit/Notice";
import type { Clash, SaveState } from "./DraftSaver";

const time = (at: string) => new Date(at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** How the saving stands, in plain words. */
export function SaveLine({ state }: { state: SaveState }) {
  const words = {
    saved: () =>
      state.kind === "saved"
        ? `Saved ${time(state.at)} in the draft${state.by ? `, by ${state.by}` : ""}`
        : "",
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
  keepBoth: () => void;
  takeTheirs: () => void;
}

/** What stands in the way of saving, when it is about more than a field. */
export function SaveTrouble({ state, ...decide }: Props) {
  if (state.kind === "conflict") return <BothVersions clash={state.clash} {...decide} />;
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

const Versions = styled.section`
  border: 1px solid var(--saffron);
  border-left-width: 3px;
  background: var(--saffron-wash);
  border-radius: 0 var(--corner) var(--corner) 0;
  padding: 14px 16px;
  display: flex;
  flex-direction: column;
  gap: 10px;
  .scroll {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    table-layout: fixed;
    min-width: 420px;
    width: 100%;
    font-size: 14.5px;
  }
  th,
  td {
    text-align: left;
    vertical-align: baseline;
    padding: 5px 14px 5px 0;
    border-top: 1px solid var(--hairline);
    font-weight: 400;
    overflow-wrap: break-word;
  }
  thead th {
    border: 0;
    font-size: 13px;
  }
  .same {
    color: var(--pencil);
  }
  .buttons {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
  }
`;

/** Two edits of one thing beside each other, before either loses anything. */
function BothVersions({ clash, keepMine, keepBoth, takeTheirs }: { clash: Clash } & Omit<Props, "state">) {
  const clashing = clash.rows.filter((row) => row.clash).length;
  const who = clash.by ?? "Somebody else";
  const shown = (value: string | null) => value ?? "not there";
  return (
    <Versions role="alert" aria-labelledby="both-versions">
      <h2 id="both-versions">{who} changed this while you did</h2>
      <p>
        {clashing === 0
          ? "You have changed different things, so both edits can be kept."
          : clashing === 1
            ? "One thing was changed by both of you."
            : `${clashing} things were changed by both of you.`}{" "}
        Nothing is lost until you choose.
      </p>
      <div className="scroll">
        <table>
          <thead>
            <tr>
              <th scope="col">What</th>
              <th scope="col">Before</th>
              <th scope="col">Yours</th>
              <th scope="col">{clash.by ? `${clash.by}’s` : "Theirs"}</th>
            </tr>
          </thead>
          <tbody>
            {clash.rows.map((row) => (
              <tr key={row.what}>
                <th scope="row">
                  {row.what}
                  {row.clash ? " (both)" : ""}
                </th>
                <td className="same">{shown(row.before)}</td>
                <td className={row.mine === row.before ? "same" : ""}>{shown(row.mine)}</td>
                <td className={row.theirs === row.before ? "same" : ""}>{shown(row.theirs)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <div className="buttons">
        <Button look={clashing ? undefined : "main"} onPress={keepBoth}>
          {clashing ? "Keep both, yours where they clash" : "Keep both"}
        </Button>
        <Button onPress={keepMine}>Keep yours only</Button>
        <Button onPress={takeTheirs}>Take theirs</Button>
      </div>
    </Versions>
  );
}
